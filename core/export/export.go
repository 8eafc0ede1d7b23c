// Package export holds what all writers share. A writer takes a drawing that
// is ready to be shown and turns it into the bytes of one file type; it does
// not recolour, choose or name anything.
package export

import (
	"bytes"
	"context"
	"io"
	"math"
	"strconv"

	"dyekit/core/drawing"
	"dyekit/core/frame"
	"dyekit/core/geom"
	"dyekit/core/planar"
)

// Unsupported is returned by a writer whose file type cannot carry something of
// the drawing. The file is then left out with the reason.
type Unsupported struct{ Reason string } // for people

func (e *Unsupported) Error() string { return e.Reason }

// Cannot returns an Unsupported.
func Cannot(reason string) error { return &Unsupported{reason} }

// Bytes returns what f writes, in memory of that size: files are kept until their
// kit is packed. Meanwhile it lies in chunks, which never move and are never twice
// as large as what they hold.
func Bytes(f func(w io.Writer) error) ([]byte, error) {
	var c chunks
	err := f(&c)
	return bytes.Join(c, nil), err
}

type chunks [][]byte

// The first chunk, and the largest, in bytes; each is twice as large as the one
// before.
const (
	firstChunk = 1 << 12
	mostChunk  = 1 << 20
)

func (c *chunks) Write(p []byte) (n int, err error) {
	for n < len(p) {
		k := len(*c) - 1
		if k < 0 || len((*c)[k]) == cap((*c)[k]) {
			*c = append(*c, make([]byte, 0, min(mostChunk, firstChunk<<min(k+1, 8))))
			k++
		}
		last := &(*c)[k]
		room := min(cap(*last)-len(*last), len(p)-n)
		*last = append(*last, p[n:n+room]...)
		n += room
	}
	return n, nil
}

// A Page is one drawing seen through a frame.
type Page struct {
	Drawing *drawing.Drawing
	Frame   frame.Frame
}

// Number appends v with at most places decimals and no more digits than it
// needs: no exponent, no trailing zeros, no negative zero.
func Number(b []byte, v float64, places int) []byte {
	k := math.Pow10(places)
	v = math.Round(v*k) / k
	if v == 0 {
		return append(b, '0')
	}
	return strconv.AppendFloat(b, v, 'f', -1, 64)
}

// Places is the number of decimals that keeps coordinates of a page with the
// given longer side within 1/200000 of it.
func Places(long float64) int {
	return int(min(6, max(0, math.Ceil(5-math.Log10(max(long, 1e-6))))))
}

// Sides writes the sides of a page: more closely than its coordinates, which are
// laid out by them.
func Sides(width, height float64) string {
	places := max(4, Places(min(width, height)))
	return string(Number(append(Number(nil, width, places), ' '), height, places))
}

// OneClip returns the clip as paths to be intersected one after another, for
// file types that know no union of clips: where there is one, it is made of
// the geometry.
func OneClip(c []drawing.Region) (paths []drawing.Region, err error) {
	for c != nil {
		switch len(c) {
		case 0: // nothing shows: an empty box
			return append(paths, drawing.Region{Path: geom.Path{{Op: geom.MoveTo}, {Op: geom.LineTo}, {Op: geom.Close}}}), nil
		case 1:
			paths = append(paths, c[0])
			c = c[0].Clip
		default:
			p, err := union(c)
			if err != nil {
				return nil, err
			}
			if len(p) == 0 {
				c = []drawing.Region{}
				continue
			}
			return append(paths, drawing.Region{Path: p}), nil
		}
	}
	return paths, nil
}

// union is the area inside any of the regions, each within its own clip.
func union(c []drawing.Region) (geom.Path, error) {
	ctx := context.Background() // bounded by the size of the drawing
	var parts []planar.Layer
	for _, r := range c {
		l := planar.Layer{Path: r.Path, Rule: r.Rule}
		if r.Clip != nil {
			inner, err := union(r.Clip)
			if err != nil {
				return nil, err
			}
			p, err := planar.Intersect(ctx, l, planar.Layer{Path: inner})
			if err != nil {
				return nil, err
			}
			l = planar.Layer{Path: p}
		}
		parts = append(parts, l)
	}
	return planar.Union(ctx, parts...)
}
