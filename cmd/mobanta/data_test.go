package main

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"io"
	"math/big"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/store"

	"mobanta/core/project"

	"mobanta/core/exchange"
)

func TestBackupRestoreAndVerify(t *testing.T) {
	t.Chdir(t.TempDir())
	const data, dir = "data #1?", "." // as they are typed
	_, err := run(t, "demo", "--make-only", "--data", data)
	require.NoError(t, err)
	out, err := run(t, "verify", "--data", data)
	require.NoError(t, err)
	assert.Contains(t, out, "All is well: 8 projects with 8 states")
	backup := filepath.Join(dir, "all.zip")
	_, err = run(t, "backup", "--data", data, "--out", backup)
	require.NoError(t, err)
	again := filepath.Join(dir, "again")
	out, err = run(t, "restore", backup, "--data", again)
	require.NoError(t, err)
	assert.Contains(t, out, "All is well: 8 projects")
	_, err = run(t, "restore", backup, "--data", again)
	assert.ErrorContains(t, err, "is not empty")
	files, err := os.ReadDir(filepath.Join(again, "files"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(again, "files", files[0].Name()), []byte("spoilt"), 0o600))
	out, err = run(t, "verify", "--data", again)
	assert.ErrorContains(t, err, "things are not as they should be")
	assert.Contains(t, out, "is damaged")
	_, err = run(t, "verify", "--data", filepath.Join(dir, "nowhere"))
	assert.ErrorContains(t, err, "there is no data folder")
	_, err = os.Stat(filepath.Join(dir, "nowhere"))
	assert.ErrorIs(t, err, os.ErrNotExist, "looking makes nothing")
}

// serving runs a command until its context ends and returns its address.
func serving(t *testing.T, args ...string) (address string, stop func() error) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	r, w := io.Pipe()
	c := root()
	c.SetOut(w)
	c.SetArgs(args)
	ended := make(chan error, 1)
	go func() {
		err := c.ExecuteContext(ctx)
		w.CloseWithError(io.EOF)
		ended <- err
	}()
	line := make([]byte, 200)
	n, _ := r.Read(line)
	go io.Copy(io.Discard, r)
	if _, after, ok := strings.Cut(string(line[:n]), " at "); ok {
		address = strings.TrimSpace(after)
	}
	return address, func() error { cancel(); return <-ended }
}

func TestTheDoorDoesNotStandOpen(t *testing.T) {
	data := t.TempDir()
	for _, args := range [][]string{{"serve", "--listen", "0.0.0.0:0"}, {"serve", "--listen", "127.0.0.1:0", "--host", "studio.example"}, {"demo", "--listen", "[::]:0"}} {
		_, err := run(t, append(args, "--data", data)...)
		assert.ErrorContains(t, err, "there is no key", "%v", args)
	}
	_, err := run(t, "serve", "--data", data, "--tls-cert", "x")
	assert.ErrorContains(t, err, "tls-key")
	address, stop := serving(t, "serve", "--listen", "127.0.0.1:0", "--host", "studio.example", "--open", "--data", data)
	require.NotEmpty(t, address, "--open says so")
	_, err = run(t, "serve", "--listen", "127.0.0.1:0", "--data", data)
	assert.ErrorContains(t, err, "in use by another studio")
	assert.ErrorContains(t, err, address)
	require.NoError(t, stop())

	key, err := run(t, "key", "new", "--data", data)
	require.NoError(t, err)
	address, stop = serving(t, "serve", "--listen", "127.0.0.1:0", "--host", "studio.example", "--data", data)
	res, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Get(address)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 303, res.StatusCode, "with a key one signs in")
	require.NoError(t, stop())
	stored, err := os.ReadFile(filepath.Join(data, "key.json"))
	require.NoError(t, err)
	assert.NotContains(t, string(stored), strings.TrimSpace(key))
	_, err = run(t, "key", "remove", "--data", data)
	require.NoError(t, err)
}

func TestServingOverTLS(t *testing.T) {
	dir := t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	made := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "localhost"}, DNSNames: []string{"localhost"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour)}
	der, err := x509.CreateCertificate(rand.Reader, made, made, &key.PublicKey, key)
	require.NoError(t, err)
	raw, err := x509.MarshalECPrivateKey(key)
	require.NoError(t, err)
	cert, certKey := filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	require.NoError(t, os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(certKey, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: raw}), 0o600))
	address, stop := serving(t, "serve", "--listen", "127.0.0.1:0", "--tls-cert", cert, "--tls-key", certKey, "--data", t.TempDir())
	require.True(t, strings.HasPrefix(address, "https://"), address)
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}))
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}
	res, err := c.Get(strings.Replace(address, "127.0.0.1", "localhost", 1))
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 200, res.StatusCode)
	assert.NotEmpty(t, res.Header.Get("Strict-Transport-Security"))
	old := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool, MaxVersion: tls.VersionTLS11}}}
	_, err = old.Get(strings.Replace(address, "127.0.0.1", "localhost", 1))
	assert.Error(t, err, "old versions of TLS are refused")
	weak := &tls.Config{RootCAs: pool, MaxVersion: tls.VersionTLS12, CipherSuites: []uint16{tls.TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA, tls.TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA}}
	_, err = (&http.Client{Transport: &http.Transport{TLSClientConfig: weak}}).Get(strings.Replace(address, "127.0.0.1", "localhost", 1))
	assert.Error(t, err, "so are ciphers that are not authenticated")
	c.CloseIdleConnections()
	require.NoError(t, stop())
	_, err = run(t, "serve", "--listen", "127.0.0.1:0", "--tls-cert", certKey, "--tls-key", cert, "--data", t.TempDir())
	assert.ErrorContains(t, err, "certificate cannot be used")
}

func TestSlipsOnTheCommandLineAreSaidInWords(t *testing.T) {
	model := file(t, "tent.obj", tent)
	for _, tc := range []struct {
		args []string
		want string
	}{
		{[]string{"render", "--model", model, "--out", filepath.Join(t.TempDir(), "none", "x.png")}, "there is no folder"},
		{[]string{"render", "--model", model, "--time", "nan", "--out", "x.png"}, "time NaN"},
		{[]string{"render", "--model", model, "--time", "-5", "--out", "x.png"}, "time -5"},
		{[]string{"render", "--model", model, "--look", file(t, "l.json", "{\"mobanta\":\"look\",\n\"version\":1,\n\"nodes\":[\n{\"id\":7}]}"), "--out", "x.png"}, "line 4, column 7: nodes.1.id is the number 7, where a text belongs"},
		{[]string{"nodes", "zzyzx"}, "nearest come"},
	} {
		_, err := run(t, tc.args...)
		require.Error(t, err, "%v", tc.args)
		assert.Contains(t, err.Error(), tc.want)
		assert.NotContains(t, err.Error(), ".mobanta-", "no temporary file is named")
		assert.NotContains(t, err.Error(), "Go struct")
	}
	out, err := run(t, "nodes", "soft-step")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(out, "Soft step (soft-step"), out)
	dir := t.TempDir()
	require.NoError(t, os.Chmod(dir, 0o500))
	if os.Getuid() != 0 {
		_, err = run(t, "render", "--model", model, "--size", "8x8", "--out", filepath.Join(dir, "x.png"))
		assert.ErrorContains(t, err, "cannot be written")
	}
}

// A backup writes over nothing that it is not told to, never over what is no file, is for its owner alone, and ends with a code of
// its own where not all could be saved.
func TestBackupIsCareful(t *testing.T) {
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	hash, err := s.PutFile(context.Background(), exchange.File{Name: "tent.obj", Data: []byte(tent)})
	require.NoError(t, err)
	_, err = s.Create(context.Background(), project.New("Saltlight"))
	require.NoError(t, err)
	require.NoError(t, s.Close())
	out := filepath.Join(t.TempDir(), "all.zip")
	code := func(args ...string) int {
		if _, err := run(t, args...); err != nil {
			return exitCode(context.Background(), err)
		}
		return 0
	}
	assert.Equal(t, 0, code("backup", "--data", dir, "--out", out))
	info, err := os.Stat(out)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	before, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Equal(t, 2, code("backup", "--data", dir, "--out", out))
	after, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	assert.Equal(t, 0, code("backup", "--data", dir, "--out", out, "--force"))
	link := filepath.Join(t.TempDir(), "link")
	require.NoError(t, os.Symlink(out, link))
	for _, name := range []string{"/dev/null", link, t.TempDir()} {
		assert.Equal(t, 2, code("backup", "--data", dir, "--out", name, "--force"), name)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "files", hash), []byte("other"), 0o600))
	assert.Equal(t, 3, code("backup", "--data", dir, "--out", out, "--force"))
	into := filepath.Join(t.TempDir(), "into")
	assert.Equal(t, 3, code("restore", out, "--data", into))
	s, err = store.Open(into)
	require.NoError(t, err)
	defer s.Close()
	list, err := s.Projects(context.Background(), false)
	require.NoError(t, err)
	assert.Len(t, list, 1, "all else is there")
}
