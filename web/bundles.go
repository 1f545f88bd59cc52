package web

import (
	"context"
	"io"

	"mobanta/core/exchange"
	"mobanta/store"
)

// ImportBundle stores the project of a bundle of size bytes with its files and
// returns its new id. All of it is read once before anything is stored.
func ImportBundle(ctx context.Context, s *store.Store, r io.ReaderAt, size int64) (string, error) {
	b, err := exchange.OpenBundle(r, size)
	if err != nil {
		return "", err
	}
	if err := b.Check(ctx); err != nil {
		return "", err
	}
	for _, h := range append(b.Models(), b.Pictures()...) {
		f, err := b.File(h)
		if err != nil {
			return "", err
		}
		if _, err := s.PutFile(ctx, f); err != nil {
			return "", err
		}
	}
	return s.Create(ctx, b.Project)
}
