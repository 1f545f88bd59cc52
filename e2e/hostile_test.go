package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/e2e/drive"
	"mobanta/e2e/hostile"
)

// Hostile files, each brought in through the page's own routes and on the command line: it is answered in words, within
// bounds, and what was there stays as it was.

const (
	patience   = 2 * time.Minute // until something counts as hung; how long it takes is for the bench
	mostMemory = 512 << 10       // KB
)

// highest returns the most memory that a process has had, in KB; 0 if it has ended. (What the system tells afterwards
// counts the memory of the process that started it.)
func highest(pid int) int {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0
	}
	_, rest, ok := strings.Cut(string(status), "VmHWM:")
	if !ok {
		return 0
	}
	kb, _ := strconv.Atoi(strings.Fields(rest)[0])
	return kb
}

// peak returns the most memory that a process has had since it was last asked, in KB.
func peak(t *testing.T, pid int) int {
	t.Helper()
	kb := highest(pid)
	_ = os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", pid), []byte("5"), 0)
	return kb
}

// bring sends a file as the page does.
func bring(t *testing.T, address, id, look string, f hostile.File, data []byte) (int, string) {
	t.Helper()
	route, field := map[string]string{"model": "models", "look": "look", "materialx": "look", "picture": "pictures", "palette": "palette", "nodes": "paste?look=" + look}[f.Kind],
		map[string]string{"model": "files", "look": "look", "materialx": "look", "bundle": "bundle", "picture": "picture", "palette": "palette"}[f.Kind]
	url := address + "/p/" + id + "/" + route
	if f.Kind == "bundle" {
		url = address + "/bundles"
	}
	var body io.Reader = bytes.NewReader(data)
	kind := "text/plain"
	if field != "" {
		var buf bytes.Buffer
		m := multipart.NewWriter(&buf)
		w, err := m.CreateFormFile(field, f.Name)
		require.NoError(t, err)
		w.Write(data)
		require.NoError(t, m.Close())
		body, kind = &buf, m.FormDataContentType()
	}
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, "POST", url, body)
	require.NoError(t, err)
	r.Header.Set("Content-Type", kind)
	r.Header.Set("Accept", "application/json")
	res, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
	require.NoError(t, err, f.Name)
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(answer)
}

func TestHostileFilesOnThePage(t *testing.T) {
	t.Parallel()
	s, err := drive.Serve(binary, "serve", t.TempDir(), "")
	require.NoError(t, err)
	t.Cleanup(func() { s.Stop() })
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := c.Post(s.Address+"/projects", "application/x-www-form-urlencoded", strings.NewReader("name=Harbour"))
	require.NoError(t, err)
	id := strings.TrimPrefix(res.Header.Get("Location"), "/p/")
	state := func() string {
		res, err := http.Get(s.Address + "/p/" + id + "/look.json?look=look1")
		require.NoError(t, err)
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return string(text)
	}
	before := state()
	for _, f := range hostile.Files {
		data := f.Make()
		peak(t, s.PID)
		began := time.Now()
		code, answer := bring(t, s.Address, id, "look1", f, data)
		took, kb := time.Since(began), peak(t, s.PID)
		t.Logf("%-28s %9d bytes  %3d  %6.2f s  %4d MB", f.Name, len(data), code, took.Seconds(), kb>>10)
		assert.NotRegexp(t, hostile.Unspeakable, answer, f.Name)
		assert.LessOrEqual(t, kb, mostMemory, f.Name)
		if f.Want == "" && f.Name != "noise.webp" {
			assert.Less(t, code, 400, "%s: %s", f.Name, answer)
		} else {
			assert.Contains(t, []int{400, 409, 413, 422}, code, f.Name)
			var said struct{ Error string }
			require.NoError(t, json.Unmarshal([]byte(answer), &said), "%s: %s", f.Name, answer)
			assert.Contains(t, strings.ToLower(said.Error), strings.ToLower(f.Want), f.Name)
			assert.Less(t, len(said.Error), 600, f.Name)
		}
		if code < 400 && f.Kind != "bundle" && f.Kind != "picture" {
			res, err := http.Post(s.Address+"/p/"+id+"/undo", "text/plain", nil)
			require.NoError(t, err)
			res.Body.Close()
			assert.Equal(t, 200, res.StatusCode, f.Name)
		}
		assert.Equal(t, before, state(), f.Name)
	}
}

func TestHostileFilesOnTheCommandLine(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	tent := filepath.Join(dir, "tent.obj")
	require.NoError(t, os.WriteFile(tent, []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), 0o600))
	for _, f := range hostile.Files {
		name := filepath.Join(dir, f.Name)
		args := map[string][]string{"model": {"inspect", name}, "look": {"render", "--model", tent, "--look", name, "--size", "16x10", "--samples", "1", "--out", filepath.Join(dir, "out.png")},
			"bundle": {"check", "--bundle", name}}[strings.Replace(f.Kind, "materialx", "look", 1)]
		if args == nil {
			continue
		}
		require.NoError(t, os.WriteFile(name, f.Make(), 0o600))
		ctx, cancel := context.WithTimeout(t.Context(), patience)
		cmd := exec.CommandContext(ctx, binary, args...)
		var errs bytes.Buffer
		cmd.Stderr = &errs
		began := time.Now()
		require.NoError(t, cmd.Start())
		kb, ended := 0, make(chan error, 1)
		go func() { ended <- cmd.Wait() }()
		err := error(nil)
		for running := true; running; {
			select {
			case err = <-ended:
				running = false
			case <-time.After(3 * time.Millisecond):
				kb = max(kb, highest(cmd.Process.Pid))
			}
		}
		cancel()
		t.Logf("%-28s %6.2f s  %4d MB  %v", f.Name, time.Since(began).Seconds(), kb>>10, err)
		assert.LessOrEqual(t, kb, mostMemory, f.Name)
		said := strings.ReplaceAll(errs.String(), dir, "")
		assert.NotRegexp(t, hostile.Unspeakable, said, f.Name)
		if f.Want == "" {
			assert.NoError(t, err, "%s: %s", f.Name, said)
		} else if assert.Error(t, err, f.Name) {
			assert.Equal(t, 1, cmd.ProcessState.ExitCode(), f.Name)
			assert.Contains(t, strings.ToLower(said), strings.ToLower(f.Want), f.Name)
		}
		require.NoError(t, os.Remove(name))
	}
}
