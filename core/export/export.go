// Package export holds what all writers share. A writer takes a drawing that
// is ready to be shown and turns it into the bytes of one file type; it does
// not recolour, choose or name anything.
package export

import (
	"errors"
	"fmt"
	"math"
	"strconv"

	"dyekit/core/drawing"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

// ErrCannot is wrapped by a writer whose file type cannot carry something of
// the drawing. The file is then left out with the reason.
var ErrCannot = errors.New("cannot be carried")

// Cannot returns an ErrCannot with a reason for people.
func Cannot(reason string) error { return fmt.Errorf("%s (%w)", reason, ErrCannot) }

// A Page is one drawing seen through a frame.
type Page struct {
	Drawing *drawing.Drawing
	Frame   frame.Frame
}

// Colours of print files.
const (
	RGB  = "rgb"
	CMYK = "cmyk"
)

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

// OneClip returns the clip as paths to be intersected one after another, for
// file types that know no union of clips. ok is false if it is a union.
func OneClip(c []drawing.Region) (paths []drawing.Region, ok bool) {
	for c != nil {
		if len(c) > 1 {
			return nil, false
		}
		if len(c) == 0 { // nothing shows: an empty box
			return append(paths, drawing.Region{Path: geom.Path{{Op: geom.MoveTo}, {Op: geom.LineTo}, {Op: geom.Close}}}), true
		}
		paths = append(paths, c[0])
		c = c[0].Clip
	}
	return paths, true
}
