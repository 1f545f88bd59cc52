package jobs_test

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"log/slog"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"fmt"
	"maps"
	"slices"

	"mobanta/core/bake"
	"mobanta/core/delivery"
	"mobanta/core/exchange"
	"mobanta/core/meshfile"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/demo"
	"mobanta/jobs"
)

// opened is a queue that is watched and gathered from.
type opened struct {
	*jobs.Board
	ctx  context.Context
	stop func()
}

func open(t testing.TB, o jobs.Options) *opened {
	t.Helper()
	if o.Maker == "" {
		o.Maker = "test"
	}
	o.Studio = true
	if testing.Verbose() {
		o.Log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	b, err := jobs.Open(context.Background(), o)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	var done sync.WaitGroup
	done.Go(func() { assert.NoError(t, b.Watch(ctx)) })
	done.Go(func() { assert.NoError(t, b.Gather(ctx, jobs.Gatherer{})) })
	out := &opened{b, ctx, sync.OnceFunc(func() { cancel(); done.Wait(); b.Close() })}
	t.Cleanup(out.stop)
	require.NoError(t, b.Ready(ctx))
	return out
}

// work has one worker draw until stop is called.
func (b *opened) work(t testing.TB, drawn func(n int)) (stop func()) {
	ctx, cancel := context.WithCancel(b.ctx)
	var done sync.WaitGroup
	done.Go(func() {
		assert.NoError(t, b.Work(ctx, jobs.Worker{Cores: 1, Drawn: func(_ *jobs.Job, n int, _ time.Duration) {
			if drawn != nil {
				drawn(n)
			}
		}}))
	})
	return sync.OnceFunc(func() { cancel(); done.Wait() })
}

func (b *opened) await(t testing.TB, id string, states ...jobs.State) jobs.Job {
	t.Helper()
	for until := time.Now().Add(90 * time.Second); time.Now().Before(until); {
		changed := b.Changed()
		j, _, err := b.Job(id)
		if err == nil {
			for _, s := range states {
				if j.State == s {
					return j
				}
			}
		}
		select {
		case <-changed:
		case <-time.After(time.Second):
		}
	}
	j, made, err := b.Job(id)
	require.Failf(t, "it does not come to that", "%+v %v %v", j, made, err)
	return j
}

// flare is a project with frames, and its files.
func flare(t testing.TB, frames int) (*project.Project, func(string) (exchange.File, error)) {
	t.Helper()
	p, files, err := demo.Flare()
	require.NoError(t, err)
	p.Stage.Time.Rate, p.Stage.Time.Hold, p.Stage.Time.Length, p.Stage.Time.Last = 12, 0, float64(frames)/12, 0
	return p, func(hash string) (exchange.File, error) { return files[hash], nil }
}

func kettle(t testing.TB) (*project.Project, func(string) (exchange.File, error)) {
	t.Helper()
	p, files, err := demo.Saltlight()
	require.NoError(t, err)
	return p, func(hash string) (exchange.File, error) { return files[hash], nil }
}

// tent is the kettle's project with a few triangles in place of each part of its models: how orders are handed about does not
// depend on what is drawn.
func tent(t testing.TB) (*project.Project, func(string) (exchange.File, error)) {
	t.Helper()
	p, open := kettle(t)
	small := map[string]exchange.File{}
	for i := range p.Stage.Models {
		m := &p.Stage.Models[i]
		if m.File == "" {
			continue
		}
		var obj bytes.Buffer
		obj.WriteString("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 0 1\n")
		for _, part := range slices.Sorted(maps.Keys(m.Looks)) {
			fmt.Fprintf(&obj, "g %s\nf 1/1 3/3 2/2\nf 1/1 2/2 4/3\nf 1/1 4/3 3/2\nf 2/1 3/2 4/3\n", part)
		}
		m.File = exchange.Hash(obj.Bytes())
		small[m.File] = exchange.File{Name: "tent.obj", Data: obj.Bytes()}
	}
	return p, func(hash string) (exchange.File, error) {
		if f, ok := small[hash]; ok {
			return f, nil
		}
		return open(hash)
	}
}

// alone is what an order comes to without a queue.
func alone(t testing.TB, p *project.Project, open func(string) (exchange.File, error), o delivery.Order) []byte {
	t.Helper()
	require.NoError(t, o.Check(p))
	d := delivery.NewDrawer(p, meshfile.Kept(func(h string) (string, []byte, error) { f, err := open(h); return f.Name, f.Data, err }), 2, nil)
	name := filepath.Join(t.TempDir(), "alone")
	require.NoError(t, d.Fill(context.Background(), &o, name, func(int, int) {}))
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	return data
}

func (b *opened) place(t testing.TB, p *project.Project, open func(string) (exchange.File, error), o delivery.Order) *jobs.Job {
	t.Helper()
	require.NoError(t, o.Check(p))
	j, err := b.Place(b.ctx, "sample", p, open, o)
	require.NoError(t, err)
	return j
}

func (b *opened) file(t testing.TB, id string) []byte {
	t.Helper()
	_, r, err := b.File(b.ctx, id)
	require.NoError(t, err)
	defer r.Close()
	data, err := io.ReadAll(r)
	require.NoError(t, err)
	return data
}

func TestOrdersAreFilled(t *testing.T) {
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := flare(t, 5)
	defer b.work(t, nil)()
	for _, o := range []delivery.Order{{As: "png8", W: 90, H: 70, Samples: 2}, {As: delivery.APNG, W: 50, H: 60, Samples: 1}, {As: "svg", W: 90, H: 70}} {
		j := b.place(t, p, files, o)
		assert.Equal(t, jobs.Drawing, j.State)
		_, _, err := b.File(b.ctx, j.ID)
		if err != nil { // or it was quick
			assert.ErrorIs(t, err, jobs.ErrNotDone)
		}
		done := b.await(t, j.ID, jobs.Done, jobs.Failed)
		require.Equal(t, jobs.Done, done.State, done.Why)
		data := b.file(t, j.ID)
		assert.Equal(t, alone(t, p, files, o), data)
		assert.EqualValues(t, len(data), done.Size)
		assert.True(t, strings.HasPrefix(done.Name, p.Name))
	}
	list := b.Jobs("sample")
	require.Len(t, list, 3)
	assert.Equal(t, delivery.Format("svg"), list[0].Order.As, "the newest first")
	assert.Empty(t, b.Jobs("other"))
	require.NoError(t, b.Forget(b.ctx, list[0].ID))
	assert.Eventually(t, func() bool { return len(b.Jobs("")) == 2 }, 5*time.Second, 10*time.Millisecond)
	_, _, err := b.File(b.ctx, list[0].ID)
	assert.ErrorIs(t, err, jobs.ErrNoJob)
	for _, id := range []string{"", "no", "../../etc", "a.b", strings.Repeat("x", 100), "a b", "a*"} {
		_, _, err := b.File(b.ctx, id)
		assert.ErrorIs(t, err, jobs.ErrNoJob)
		assert.ErrorIs(t, b.Cancel(b.ctx, id), jobs.ErrNoJob)
	}
}

// A studio that ends in the middle of a job goes on with it; what was drawn is not drawn again.
func TestAJobOutlivesTheStudio(t *testing.T) {
	dir := t.TempDir()
	p, files := flare(t, 8)
	o := delivery.Order{As: delivery.Frames, W: 50, H: 60, Samples: 1}
	b := open(t, jobs.Options{Dir: dir})
	var before, after atomic.Int32
	enough := make(chan struct{})
	stop := b.work(t, func(int) {
		if before.Add(1) == 3 {
			close(enough)
			time.Sleep(50 * time.Millisecond)
		}
	})
	j := b.place(t, p, files, o)
	<-enough
	stop()
	b.stop()

	b = open(t, jobs.Options{Dir: dir})
	got, made, err := b.Job(j.ID)
	require.NoError(t, err)
	assert.Equal(t, jobs.Drawing, got.State)
	assert.Len(t, made, int(before.Load()))
	defer b.work(t, func(int) { after.Add(1) })()
	done := b.await(t, j.ID, jobs.Done, jobs.Failed)
	require.Equal(t, jobs.Done, done.State, done.Why)
	assert.EqualValues(t, 8, before.Load()+after.Load(), "each frame is drawn once")
	assert.True(t, bytes.Equal(alone(t, p, files, o), b.file(t, j.ID)))
}

// Two at work, of which one after the other is ended in the middle of a piece: none is lost, none is doubled.
func TestWorkersMayGo(t *testing.T) {
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := flare(t, 12)
	o := delivery.Order{As: delivery.Frames, W: 60, H: 70, Samples: 1}
	j := b.place(t, p, files, o)
	for range 5 {
		stop := b.work(t, nil)
		time.Sleep(60 * time.Millisecond)
		stop()
	}
	one, two := b.work(t, nil), b.work(t, nil)
	defer one()
	defer two()
	done := b.await(t, j.ID, jobs.Done, jobs.Failed)
	require.Equal(t, jobs.Done, done.State, done.Why)
	assert.True(t, bytes.Equal(alone(t, p, files, o), b.file(t, j.ID)))
}

func TestCancelled(t *testing.T) {
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := flare(t, 40)
	j := b.place(t, p, files, delivery.Order{As: delivery.GIF, W: 300, H: 360, Samples: 16})
	begun := make(chan struct{}, 100)
	defer b.work(t, func(int) { begun <- struct{}{} })()
	<-begun
	require.NoError(t, b.Cancel(b.ctx, j.ID))
	b.await(t, j.ID, jobs.Cancelled)
	_, _, err := b.File(b.ctx, j.ID)
	assert.ErrorIs(t, err, jobs.ErrNotDone)
	require.NoError(t, b.Cancel(b.ctx, j.ID), "once more is nothing")
	small := b.place(t, p, files, delivery.Order{As: "png8", W: 40, H: 40, Samples: 1})
	done := b.await(t, small.ID, jobs.Done, jobs.Failed) // the queue is free for others
	assert.Equal(t, jobs.Done, done.State, done.Why)
}

// Cells are kept by what they show: a sheet that shows some of them again has them at once.
func TestCellsAreKept(t *testing.T) {
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := kettle(t)
	sheet := func(values ...string) delivery.Order {
		return delivery.Order{As: delivery.SheetOnly, W: 60, H: 40, Samples: 1, Sheet: &proof.Sheet{Axes: []proof.Axis{{Of: "sun/key", Values: values}}}}
	}
	var drawn atomic.Int32
	defer b.work(t, func(int) { drawn.Add(1) })()
	j := b.place(t, p, files, sheet("10", "20", "30"))
	assert.Equal(t, jobs.Done, b.await(t, j.ID, jobs.Done, jobs.Failed).State)
	first, err := b.Piece(b.ctx, j.ID, 1)
	require.NoError(t, err)
	k := b.place(t, p, files, sheet("20", "40"))
	assert.Equal(t, jobs.Done, b.await(t, k.ID, jobs.Done, jobs.Failed).State)
	again, err := b.Piece(b.ctx, k.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	other, err := b.Piece(b.ctx, k.ID, 1)
	require.NoError(t, err)
	assert.NotEqual(t, first, other)
	_, err = b.Piece(b.ctx, k.ID, 2)
	assert.ErrorIs(t, err, jobs.ErrNoJob)
	require.NoError(t, b.Forget(b.ctx, j.ID))
}

func TestOthersDoNotDraw(t *testing.T) {
	dir := t.TempDir()
	b := open(t, jobs.Options{Dir: dir})
	p, files := tent(t)
	j := b.place(t, p, files, delivery.Order{As: "png8", W: 40, H: 30, Samples: 1})
	b.stop()
	b = open(t, jobs.Options{Dir: dir, Maker: "later"})
	ctx, cancel := context.WithTimeout(b.ctx, 20*time.Second)
	defer cancel()
	assert.ErrorIs(t, b.Work(ctx, jobs.Worker{}), jobs.ErrMaker)
	require.NoError(t, ctx.Err())
	b.stop()
	b = open(t, jobs.Options{Dir: dir})
	defer b.work(t, nil)()
	done := b.await(t, j.ID, jobs.Done, jobs.Failed)
	assert.Equal(t, jobs.Done, done.State, done.Why)
	assert.NotEqual(t, jobs.Maker("1.0"), jobs.Maker("1.1"))
	assert.Contains(t, jobs.Maker(""), "build-")
}

// A server that is there, which wants a password, with two programs at it: one serves, one draws.
func TestAServerThatIsThere(t *testing.T) {
	s, err := server.NewServer(&server.Options{Host: "127.0.0.1", Port: -1, Username: "u", Password: "secret", JetStream: true, StoreDir: t.TempDir(), NoLog: true, NoSigs: true})
	require.NoError(t, err)
	s.Start()
	defer s.Shutdown()
	require.True(t, s.ReadyForConnections(10*time.Second))
	at := "nats://u:secret@" + s.Addr().String()
	b := open(t, jobs.Options{Dir: t.TempDir(), URL: at})
	defer b.stop() // while there is still someone to say it to
	w, err := jobs.Open(context.Background(), jobs.Options{URL: at, Maker: "test"})
	require.NoError(t, err)
	defer w.Close()
	ctx, cancel := context.WithCancel(context.Background())
	var done sync.WaitGroup
	done.Go(func() { assert.NoError(t, w.Work(ctx, jobs.Worker{Cores: 1})) })
	defer done.Wait()
	defer cancel()
	p, files := tent(t)
	o := delivery.Order{As: "png8", W: 60, H: 40, Samples: 1}
	j := b.place(t, p, files, o)
	got := b.await(t, j.ID, jobs.Done, jobs.Failed)
	require.Equal(t, jobs.Done, got.State, got.Why)
	assert.Equal(t, alone(t, p, files, o), b.file(t, j.ID))

	_, err = jobs.Open(context.Background(), jobs.Options{URL: "nats://u:wrong@" + s.Addr().String()})
	assert.ErrorContains(t, err, "does not let this program in")
	assert.NotContains(t, err.Error(), "wrong")
	_, err = jobs.Open(context.Background(), jobs.Options{URL: "nats://127.0.0.1:1"})
	assert.ErrorContains(t, err, "no NATS server answers at nats://127.0.0.1:1")
	bare, err := server.NewServer(&server.Options{Host: "127.0.0.1", Port: -1, NoLog: true, NoSigs: true})
	require.NoError(t, err)
	bare.Start()
	defer bare.Shutdown()
	require.True(t, bare.ReadyForConnections(10*time.Second))
	_, err = jobs.Open(context.Background(), jobs.Options{URL: "nats://" + bare.Addr().String()})
	assert.ErrorContains(t, err, "JetStream has to be switched on")
}

func TestWhatCannotBeDrawnFailsInWords(t *testing.T) {
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, _ := tent(t)
	o := delivery.Order{As: "png8", W: 40, H: 30, Samples: 1}
	require.NoError(t, o.Check(p))
	bad := func(string) (exchange.File, error) {
		return exchange.File{Name: "model.obj", Data: []byte("no model")}, nil
	}
	defer b.work(t, nil)()
	j, err := b.Place(b.ctx, "sample", p, bad, o)
	require.NoError(t, err)
	done := b.await(t, j.ID, jobs.Failed)
	assert.NotEmpty(t, done.Words())
	assert.NotContains(t, done.Words(), "jobs: ")
}

// Where there is no room for an order it is refused, and nothing of it is kept.
func TestNoRoom(t *testing.T) {
	defer jobs.Pretend(1 << 20)()
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := flare(t, 40)
	o := delivery.Order{As: delivery.Frames, W: 900, H: 900, Samples: 1}
	require.NoError(t, o.Check(p))
	_, err := b.Place(b.ctx, "sample", p, files, o)
	require.ErrorIs(t, err, jobs.ErrFull)
	assert.ErrorContains(t, err, "1 MB are free")
	assert.Empty(t, b.Jobs(""))
}

// A server that speaks TLS is checked against the certificates that are named.
func TestAServerOverTLS(t *testing.T) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	now := time.Now()
	of := &x509.Certificate{SerialNumber: big.NewInt(1), NotBefore: now.Add(-time.Hour), NotAfter: now.Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, of, of, &key.PublicKey, key)
	require.NoError(t, err)
	s, err := server.NewServer(&server.Options{Host: "127.0.0.1", Port: -1, JetStream: true, StoreDir: t.TempDir(), NoLog: true, NoSigs: true, TLS: true, TLSTimeout: 5,
		TLSConfig: &tls.Config{Certificates: []tls.Certificate{{Certificate: [][]byte{der}, PrivateKey: key}}, MinVersion: tls.VersionTLS12}})
	require.NoError(t, err)
	s.Start()
	defer s.Shutdown()
	require.True(t, s.ReadyForConnections(10*time.Second))
	ca := filepath.Join(t.TempDir(), "ca.pem")
	require.NoError(t, os.WriteFile(ca, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	url := "tls://" + s.Addr().String()
	b, err := jobs.Open(context.Background(), jobs.Options{URL: url, CA: ca})
	require.NoError(t, err)
	b.Close()
	_, err = jobs.Open(context.Background(), jobs.Options{URL: url})
	assert.ErrorContains(t, err, "cannot be reached")
	_, err = jobs.Open(context.Background(), jobs.Options{URL: url, CA: filepath.Join(t.TempDir(), "none.pem")})
	assert.Error(t, err)
	_, err = jobs.Open(context.Background(), jobs.Options{URL: url, Creds: filepath.Join(t.TempDir(), "none.creds")})
	assert.Error(t, err)
}

// While a piece is drawn it is told how much of it is: of a picture, of layers, of a texture; nothing is left of that at the end.
func TestHowFarAPieceIs(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := kettle(t)
	defer b.work(t, nil)()
	for name, o := range map[string]delivery.Order{
		"picture": {As: "png8", W: 320, H: 240, Samples: 64},
		"layers":  {As: delivery.Layers, W: 240, H: 160, Samples: 4},
		"texture": {As: delivery.Texture, W: 384, H: 384, Samples: 16, Bake: &bake.Order{Model: p.Stage.Models[0].ID, Bits: 8, Eye: bake.LeftOut}},
	} {
		j := b.place(t, p, files, o)
		heard := map[float64]bool{}
		last := 0.0
		for {
			now, _, err := b.Job(j.ID)
			require.NoError(t, err)
			if !now.Active() {
				require.Equal(t, jobs.Done, now.State, "%s: %s", name, now.Why)
				assert.Zero(t, now.Within)
				break
			}
			require.True(t, now.Within >= 0 && now.Within <= 1, "%s: %v", name, now.Within)
			if now.Within > 0 {
				assert.GreaterOrEqual(t, now.Within, last, name)
				heard[now.Within], last = true, now.Within
			}
			time.Sleep(5 * time.Millisecond)
		}
		assert.GreaterOrEqual(t, len(heard), 2, "%s: it is told as it goes", name)
	}
}
