package jobs_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"mobanta/core/delivery"
	"mobanta/core/mesh"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
	"mobanta/jobs"
)

// ending is files that end the program as soon as they are asked for.
type ending struct{}

func (ending) Surface(*stage.Model) (*mesh.Surface, error) { os.Exit(3); return nil, nil }
func (ending) Picture(hash string) (*pixmap.Pixmap, error) { return nil, stage.ErrNoPicture }

// TestMain is, where it is told so, a program that draws pieces until one of them ends it.
func TestMain(m *testing.M) {
	dir := os.Getenv("MOBANTA_ENDING")
	if dir == "" {
		os.Exit(m.Run())
	}
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	b, err := jobs.Open(ctx, jobs.Options{Dir: dir, Maker: "test", Studio: true})
	if err != nil {
		fmt.Println(err)
		os.Exit(4)
	}
	go func() { _ = b.Watch(ctx) }()
	_ = b.Ready(ctx)
	go func() { _ = b.Work(ctx, jobs.Worker{Cores: 1, Files: ending{}}) }()
	for ctx.Err() == nil { // until nothing is left to be drawn
		if list := b.Jobs(""); len(list) > 0 && !list[0].Active() {
			fmt.Println(list[0].State, list[0].Words())
			b.Close()
			os.Exit(0)
		}
		time.Sleep(20 * time.Millisecond)
	}
	os.Exit(5)
}

// A piece that has ended two programs is given up in words, and not handed out for ever.
func TestAPieceThatEndsWhoeverDrawsIt(t *testing.T) {
	dir := t.TempDir()
	b := open(t, jobs.Options{Dir: dir})
	p, files := tent(t)
	j := b.place(t, p, files, delivery.Order{As: "png8", W: 40, H: 30, Samples: 1})
	b.stop()
	codes, said := []int{}, ""
	for range 4 {
		c := exec.Command(os.Args[0])
		c.Env = append(os.Environ(), "MOBANTA_ENDING="+dir)
		out, err := c.CombinedOutput()
		said = string(out)
		if codes = append(codes, c.ProcessState.ExitCode()); err == nil {
			break
		}
	}
	assert.Equal(t, []int{3, 3, 0}, codes, said)
	assert.Contains(t, said, "given up")
	b = open(t, jobs.Options{Dir: dir})
	now, _, err := b.Job(j.ID)
	require.NoError(t, err)
	assert.Equal(t, jobs.Failed, now.State)
	defer b.work(t, nil)()
	small := b.place(t, p, files, delivery.Order{As: "png8", W: 40, H: 30, Samples: 1})
	assert.Equal(t, jobs.Done, b.await(t, small.ID, jobs.Done, jobs.Failed).State, "ordered again it is tried again")
}

// A queue that has stopped is opened anew: orders that are placed, and those that are under way, go on.
func TestAQueueThatStoppedIsOpenedAnew(t *testing.T) {
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := flare(t, 12)
	o := delivery.Order{As: delivery.Frames, W: 60, H: 70, Samples: 1}
	j := b.place(t, p, files, o)
	b.Lame()
	defer b.work(t, nil)()
	done := b.await(t, j.ID, jobs.Done, jobs.Failed)
	require.Equal(t, jobs.Done, done.State, done.Why)
	assert.True(t, bytes.Equal(alone(t, p, files, o), b.file(t, j.ID)))
	b.Lame()
	var again *jobs.Job
	for range 5 { // it may be said once that the queue does not answer
		var err error
		if again, err = b.Place(b.ctx, "sample", p, files, o); err == nil {
			break
		}
		require.ErrorIs(t, err, jobs.ErrSilent)
	}
	require.NotNil(t, again)
	assert.Equal(t, jobs.Done, b.await(t, again.ID, jobs.Done, jobs.Failed).State)
}

// filled is a small disk and what fills it, until empty is called.
func filled(t *testing.T) (dir string, fill func(), empty func()) {
	t.Helper()
	dir = t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=96m"); err != nil {
		t.Skip("no small disk can be made here: ", err)
	}
	t.Cleanup(func() { assert.NoError(t, syscall.Unmount(dir, syscall.MNT_DETACH)) })
	name := filepath.Join(dir, "filler")
	return dir, func() {
		f, err := os.Create(name)
		require.NoError(t, err)
		defer f.Close()
		for block := make([]byte, 1<<16); len(block) > 0; {
			if _, err := f.Write(block); err != nil {
				block = block[:len(block)/2]
			}
		}
	}, func() { require.NoError(t, os.Remove(name)) }
}

// A disk that fills while an order is drawn stops nothing for good: with room again new orders are filled, and what was
// under way has come to an end that is told.
func TestADiskThatFillsWhileAnOrderIsDrawn(t *testing.T) {
	dir, fill, empty := filled(t)
	b := open(t, jobs.Options{Dir: dir})
	p, files := flare(t, 16)
	o := delivery.Order{As: delivery.Frames, W: 150, H: 180, Samples: 1}
	begun := make(chan struct{}, 1000)
	defer b.work(t, func(int) { begun <- struct{}{} })()
	j := b.place(t, p, files, o)
	<-begun
	fill()
	small := delivery.Order{As: "png8", W: 40, H: 40, Samples: 1}
	require.NoError(t, small.Check(p))
	start := time.Now()
	_, err := b.Place(b.ctx, "sample", p, files, small)
	require.Error(t, err, "there is no room")
	assert.True(t, strings.HasPrefix(err.Error(), "jobs: there is no room") || strings.HasPrefix(err.Error(), "jobs: the queue does not answer"), err.Error())
	assert.Less(t, time.Since(start), 30*time.Second, "it is said, and not waited for")
	time.Sleep(2 * time.Second) // so that what draws meets the full disk
	empty()
	var again *jobs.Job
	for range 10 {
		if again, err = b.Place(b.ctx, "sample", p, files, small); err == nil {
			break
		}
		time.Sleep(time.Second)
	}
	require.NoError(t, err)
	assert.Equal(t, jobs.Done, b.await(t, again.ID, jobs.Done, jobs.Failed).State)
	was := b.await(t, j.ID, jobs.Done, jobs.Failed)
	if was.State == jobs.Failed {
		assert.Contains(t, was.Why, "room")
	}
}

// A queue is one studio's: the second is refused in words, and takes it once the first has gone. Workers come and go.
func TestAQueueIsOfOneStudio(t *testing.T) {
	srv, err := server.NewServer(&server.Options{JetStream: true, StoreDir: t.TempDir(), Port: -1, NoSigs: true, NoLog: true})
	require.NoError(t, err)
	srv.Start()
	defer srv.Shutdown()
	require.True(t, srv.ReadyForConnections(10*time.Second))
	o := func(dir string) jobs.Options {
		return jobs.Options{Dir: dir, URL: srv.ClientURL(), Maker: "test", Studio: true}
	}
	ctx, dirs := context.Background(), [2]string{t.TempDir(), t.TempDir()}
	one, err := jobs.Open(ctx, o(dirs[0]))
	require.NoError(t, err)
	_, err = jobs.Open(ctx, o(dirs[1]))
	require.ErrorIs(t, err, jobs.ErrHeld)
	worker, err := jobs.Open(ctx, jobs.Options{URL: srv.ClientURL(), Maker: "test"})
	require.NoError(t, err)
	worker.Close()
	again, err := jobs.Open(ctx, o(dirs[0])) // the same studio after a kill
	require.NoError(t, err)
	again.Close()
	one.Close()
	two, err := jobs.Open(ctx, o(dirs[1]))
	require.NoError(t, err)
	two.Close()
}

// What was made stays until it has been taken, however many orders there are after it.
func TestWhatIsMadeWaitsToBeTaken(t *testing.T) {
	defer jobs.Remember(3)()
	b := open(t, jobs.Options{Dir: t.TempDir()})
	p, files := tent(t)
	small := delivery.Order{As: "png8", W: 24, H: 20, Samples: 1}
	stop := b.work(t, nil)
	var ids []string
	for range 5 {
		j := b.place(t, p, files, small)
		b.await(t, j.ID, jobs.Done, jobs.Failed)
		ids = append(ids, j.ID)
	}
	stop()
	for range 6 {
		b.place(t, p, files, small)
	}
	for _, id := range ids {
		assert.NotEmpty(t, b.file(t, id))
	}
	require.NoError(t, b.Took(b.ctx, ids[0]))
	b.place(t, p, files, small)
	for until := time.Now().Add(time.Minute); time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		if _, _, err := b.Job(ids[0]); err != nil {
			break
		}
	}
	_, _, err := b.Job(ids[0])
	assert.ErrorIs(t, err, jobs.ErrNoJob, "what was taken makes room")
	for _, id := range ids[1:] {
		assert.NotEmpty(t, b.file(t, id))
	}
}

// Failures are told without paths of the machine and without Go's own words.
func TestFailuresAreToldInWords(t *testing.T) {
	_, missing := os.Open(filepath.Join(t.TempDir(), "none"))
	for _, err := range []error{missing, fmt.Errorf("jobs: %w", missing), fmt.Errorf("%w: runtime error: index out of range [3] with length 2", jobs.ErrSlip), &os.LinkError{Op: "rename", Old: "/tmp/a", New: "/tmp/b", Err: syscall.EIO},
		fmt.Errorf("delivery: %w", os.NewSyscallError("write", syscall.ENOMEM)), fmt.Errorf("%w (open /tmp/x: no space left on device)", jobs.ErrFull)} {
		assert.NotRegexp(t, `/tmp|/a |runtime error|index out|goroutine`, jobs.Told(err), "%v", err)
	}
	assert.Equal(t, "bake: no part", jobs.Told(fmt.Errorf("bake: no part")))
}
