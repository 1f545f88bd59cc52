package main

import (
	"errors"
	"os"
	"runtime/pprof"
)

// profiled does some work, and writes on what the processor's time went meanwhile into a file, "" for none, in the format that
// go tool pprof reads.
func profiled(name string, work func() error) error {
	if name == "" {
		return work()
	}
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	if err := pprof.StartCPUProfile(f); err != nil {
		return errors.Join(err, f.Close())
	}
	err = work()
	pprof.StopCPUProfile()
	return errors.Join(err, f.Close())
}
