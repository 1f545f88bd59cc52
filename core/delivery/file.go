package delivery

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"mobanta/core/names"
)

// File puts the pieces of an order together and writes what is delivered to a new file of that name. piece returns the bytes of
// a piece by its number. A context that ends stops it.
func (d *Drawer) File(ctx context.Context, o *Order, name string, piece func(n int) ([]byte, error)) (err error) {
	asked := func(n int) ([]byte, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return piece(n)
	}
	if told := o.form().movie.ffmpeg; told != nil { // made by another program
		return d.movie(o, asked).video(ctx, told, name)
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	defer func() {
		if e := f.Close(); err == nil && e != nil {
			err = fmt.Errorf("delivery: %w", e)
		}
		if err != nil {
			os.Remove(name)
		}
	}()
	if file := o.kind().file; file != nil {
		return file(ctx, d, o, f, asked)
	}
	data, err := asked(0)
	if err == nil {
		_, err = f.Write(data)
	}
	return err
}

// Fill draws all pieces of an order that has been checked and writes what is delivered to a new file of that name. What is
// drawn lies in a folder beside it meanwhile. progress hears how many pieces are drawn, of how many.
func (d *Drawer) Fill(ctx context.Context, o *Order, name string, progress func(done, of int)) error {
	pieces, err := o.Pieces(d.project)
	if err != nil {
		return err
	}
	if o.kind().tiled && len(pieces) == 1 { // as it is, without packing it
		if err := d.once(ctx, o, name); err != nil {
			return err
		}
		progress(1, 1)
		return nil
	}
	dir, err := os.MkdirTemp(filepath.Dir(name), ".mobanta-pieces-*")
	if err != nil {
		return fmt.Errorf("delivery: %w", err)
	}
	defer os.RemoveAll(dir)
	at := func(n int) string { return filepath.Join(dir, strconv.Itoa(n)) }
	for k, piece := range pieces {
		data, err := d.Draw(ctx, o, piece)
		if err == nil {
			err = os.WriteFile(at(piece.N), data, 0o600)
		}
		if err != nil {
			return err
		}
		progress(k+1, len(pieces))
	}
	return d.File(ctx, o, name, func(n int) ([]byte, error) { return os.ReadFile(at(n)) })
}

// Name returns what a delivered file is called, without characters that a folder or a system might mistake.
func (o *Order) Name(name string) string {
	if o.form().Kind != Coded {
		size := fmt.Sprintf(" %dx%d", o.W, o.H)
		return names.FileName(name, size+o.ending())
	}
	return names.FileName(name, o.ending())
}

// Safe returns the name of a file of the order as it may be given to any system; Name's are such.
func (o *Order) Safe(name string) string {
	return names.FileName(strings.TrimSuffix(name, o.ending()), o.ending())
}

func (o *Order) ending() string {
	if o.several() {
		return " textures.zip"
	}
	return o.form().Ending
}

// Media returns the media type of what is delivered.
func (o *Order) Media() string {
	if o.several() {
		return "application/zip"
	}
	return o.form().Media
}
