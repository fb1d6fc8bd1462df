package main

import (
	"errors"

	"goldshelf/internal/pgserver"
	"goldshelf/test/run"
)

// loadedDemo gives a data directory with the demo in it, on a disk, that nobody serves.
func loadedDemo() (dir string, remove func(), err error) {
	dir, remove, err = run.DiskDir()
	if err != nil {
		return "", nil, err
	}
	s, err := run.Serve(dir, "--demo")
	if err == nil {
		err = s.Stop()
	}
	if err != nil {
		remove()
		return "", nil, err
	}
	return dir, remove, nil
}

// servedDemo serves the demo from a disk. It gives how the database's owner connects to a
// database of its server, and what stops the service and clears up.
func servedDemo() (s *run.Service, url func(database string) string, stop func() error, err error) {
	dir, remove, err := run.DiskDir()
	if err != nil {
		return nil, nil, nil, err
	}
	if s, err = run.Serve(dir, "--demo"); err != nil {
		remove()
		return nil, nil, nil, err
	}
	stop = func() error {
		defer remove()
		return s.Stop()
	}
	pg, runs := pgserver.Running(dir)
	if !runs {
		return nil, nil, nil, errors.Join(errors.New("the service's database does not run"), stop())
	}
	return s, pg.URL, stop, nil
}
