package exchange

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // strips come as JPEG too
	"image/png"
	"io"
	"strconv"
	"strings"

	"mobanta/core/color"
)

// MaxPaletteBytes limits a palette file.
const MaxPaletteBytes = 4 << 20

// maxPalettePixels limits a picture that is read as a palette.
const maxPalettePixels = 16 << 20

// Named is a colour of a palette with its name, which may be empty.
type Named struct {
	Name  string
	Color color.C
}

// Palette is what a palette file holds: a row of named colours, or rows of them.
type Palette struct {
	Name   string
	Colors []Named     // row by row
	Strip  color.Strip // the same as a strip
}

// ReadPalette reads a GPL text palette, a list of hex values, or a picture whose
// pixels are the colours, at most 256 × 64 of them; a larger picture is read at
// evenly spread places.
func ReadPalette(data []byte) (*Palette, error) {
	if len(data) > MaxPaletteBytes {
		return nil, fmt.Errorf("exchange: the palette is larger than %d MB", MaxPaletteBytes>>20)
	}
	if bytes.HasPrefix(data, []byte("\x89PNG")) || bytes.HasPrefix(data, []byte("\xff\xd8\xff")) {
		return readStrip(data)
	}
	p := &Palette{}
	gpl := bytes.HasPrefix(bytes.TrimSpace(data), []byte("GIMP Palette"))
	lines := bufio.NewScanner(bytes.NewReader(data))
	for n := 1; lines.Scan(); n++ {
		line := strings.TrimSpace(lines.Text())
		var err error
		if gpl {
			err = p.gplLine(n, line)
		} else {
			err = p.hexLine(line)
		}
		if err != nil {
			return nil, fmt.Errorf("exchange: palette line %d: %w", n, err)
		}
		if len(p.Colors) > color.MaxStripWidth {
			return nil, fmt.Errorf("exchange: the palette holds more than %d colours", color.MaxStripWidth)
		}
	}
	if err := lines.Err(); err != nil {
		return nil, fmt.Errorf("exchange: the palette cannot be read: %w", err)
	}
	if len(p.Colors) == 0 {
		return nil, errors.New("exchange: no colours were found: a GPL palette, hex values such as #D4843F, or a PNG strip can be read")
	}
	row := make([]color.C, len(p.Colors))
	for i, c := range p.Colors {
		row[i] = c.Color
	}
	p.Strip = color.Strip{row}
	return p, nil
}

func (p *Palette) gplLine(n int, line string) error {
	if n == 1 || line == "" || line[0] == '#' || strings.HasPrefix(line, "Columns:") {
		return nil
	}
	if name, ok := strings.CutPrefix(line, "Name:"); ok {
		p.Name = clip(name)
		return nil
	}
	f := strings.Fields(line)
	if len(f) < 3 {
		return fmt.Errorf("%.40q are not red, green and blue", line)
	}
	var rgb [3]uint8
	for k := range rgb {
		v, err := strconv.ParseUint(f[k], 10, 8)
		if err != nil {
			return fmt.Errorf("%.20q does not lie between 0 and 255", f[k])
		}
		rgb[k] = uint8(v)
	}
	p.Colors = append(p.Colors, Named{clip(strings.Join(f[3:], " ")), color.FromBytes(rgb[0], rgb[1], rgb[2])})
	return nil
}

// hexLine reads the hex values of a line; what stands behind a single one is its
// name.
func (p *Palette) hexLine(line string) error {
	if line == "" || strings.HasPrefix(line, "//") || strings.HasPrefix(line, ";") {
		return nil
	}
	fields := strings.FieldsFunc(line, func(r rune) bool { return strings.ContainsRune(" \t,;\"'[]", r) })
	for i, f := range fields {
		c, err := color.ParseHex(f)
		if err != nil {
			if i == 1 {
				p.Colors[len(p.Colors)-1].Name = clip(strings.Join(fields[1:], " "))
				return nil
			}
			return fmt.Errorf("%.20q is not a colour such as #D4843F", f)
		}
		p.Colors = append(p.Colors, Named{Color: c})
	}
	return nil
}

func clip(s string) string {
	s = strings.TrimSpace(strings.ToValidUTF8(s, "�"))
	if r := []rune(s); len(r) > 40 {
		s = string(r[:40])
	}
	return s
}

func readStrip(data []byte) (*Palette, error) {
	cfg, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err == nil && format != "png" && format != "jpeg" && format != "webp" {
		err = image.ErrFormat
	}
	if err != nil {
		return nil, errors.New("exchange: the picture cannot be read: it is no PNG, JPEG or WebP, or it is damaged")
	}
	if cfg.Width < 1 || cfg.Height < 1 || cfg.Width > maxPalettePixels/cfg.Height {
		return nil, fmt.Errorf("exchange: a picture of %d × %d pixels is too large for a palette", cfg.Width, cfg.Height)
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, errors.New("exchange: the picture breaks off or is damaged")
	}
	b := img.Bounds()
	w, h := min(b.Dx(), color.MaxStripWidth), min(b.Dy(), color.MaxStripRows)
	// A strip is often drawn a few pixels high: rows that say the same are one.
	p := &Palette{}
	for j := range h {
		row := make([]color.C, w)
		for i := range row {
			at := img.At(b.Min.X+(2*i+1)*b.Dx()/(2*w), b.Min.Y+(2*j+1)*b.Dy()/(2*h))
			n := color.Opaque(at)
			row[i] = color.FromBytes(n[0], n[1], n[2])
		}
		if n := len(p.Strip); n > 0 && equalRows(p.Strip[n-1], row) {
			continue
		}
		p.Strip = append(p.Strip, row)
	}
	for _, row := range p.Strip {
		for _, c := range row {
			p.Colors = append(p.Colors, Named{Color: c})
		}
	}
	return p, nil
}

func equalRows(a, b []color.C) bool {
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}

// WriteGPL writes a GPL text palette.
func WriteGPL(w io.Writer, name string, list []Named) error {
	var b bytes.Buffer
	fmt.Fprintf(&b, "GIMP Palette\nName: %s\nColumns: %d\n#\n", clip(strings.ReplaceAll(name, "\n", " ")), min(16, len(list)))
	for _, c := range list {
		n := c.Color.NRGBA()
		label := clip(strings.ReplaceAll(c.Name, "\n", " "))
		if label == "" {
			label = c.Color.Hex()
		}
		fmt.Fprintf(&b, "%3d %3d %3d\t%s\n", n.R, n.G, n.B, label)
	}
	_, err := w.Write(b.Bytes())
	return err
}

// WriteHex writes one hex value a line, with its name behind it.
func WriteHex(w io.Writer, list []Named) error {
	var b bytes.Buffer
	for _, c := range list {
		fmt.Fprintln(&b, strings.TrimSpace(c.Color.Hex()+" "+clip(strings.ReplaceAll(c.Name, "\n", " "))))
	}
	_, err := w.Write(b.Bytes())
	return err
}

// WriteStrip writes a PNG with one pixel for each colour, in one row.
func WriteStrip(w io.Writer, list []Named) error {
	if len(list) == 0 {
		return errors.New("exchange: there are no colours to write")
	}
	img := image.NewNRGBA(image.Rect(0, 0, len(list), 1))
	for i, c := range list {
		img.SetNRGBA(i, 0, c.Color.NRGBA())
	}
	return png.Encode(w, img)
}
