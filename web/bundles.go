package web

import (
	"context"

	"mobanta/core/exchange"
	"mobanta/core/meshfile"
	"mobanta/core/pixmap"
	"mobanta/core/stage"
	"mobanta/store"
)

// ImportBundle stores the project of a bundle with its files and returns its
// new id. Every model and picture is read once before anything is stored.
func ImportBundle(ctx context.Context, s *store.Store, data []byte) (string, error) {
	p, files, err := exchange.ReadBundle(data)
	if err != nil {
		return "", err
	}
	for hash, f := range files {
		if pixmap.Is(f.Data) {
			if _, err := pixmap.Read(f.Data); err != nil {
				return "", err
			}
			continue
		}
		_, err := meshfile.Surface(&stage.Model{File: hash}, func(string) (string, []byte, error) { return f.Name, f.Data, nil })
		if err != nil {
			return "", err
		}
	}
	for _, f := range files {
		if _, err := s.PutFile(ctx, f); err != nil {
			return "", err
		}
	}
	return s.Create(ctx, p)
}
