package photomark

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"

	"dyekit/core/colour"
	"dyekit/core/frame"
	"dyekit/core/geom"
)

// Places are where a mark can stand, in the order of reading; Quiet is that of the
// corners under which there is least detail.
var Places = []string{"top-left", "top", "top-right", "left", "centre", "right", "bottom-left", "bottom", "bottom-right"}

const (
	Quiet = "quiet"
	Free  = "free" // by the Setting's X and Y
)

// Corners are those that Quiet chooses among; of equal ones the first.
var Corners = []string{"bottom-right", "bottom-left", "top-right", "top-left"}

// Which of two marks is laid on a photograph.
const (
	Auto  = "auto" // the one that stands out more
	Dark  = "dark"
	Light = "light"
)

// What lies below a mark, to make it stand out.
const (
	Halo = "halo" // a soft edge in the other tone
	Tint = "tint" // a translucent band in the other tone
)

// The usual opacities of a photo mark, and the smaller one where that is too bold
// (common practice).
const (
	Usual = 0.80
	Faint = 0.45
)

// A Setting says how a mark is laid on photographs. The zero Setting is that of
// Default.
type Setting struct {
	Mark  string `json:"mark,omitempty"`  // Auto, Dark or Light
	Place string `json:"place,omitempty"` // one of Places, Quiet or Free
	// X and Y are where the middle of the mark stands, of a free place, in parts of
	// the photograph's width and height.
	X float64 `json:"x,omitempty"`
	Y float64 `json:"y,omitempty"`
	// Size is that of the mark's longer side and Margin its distance from the edges,
	// both as lengths in px or in % of the photograph's shorter side.
	Size    frame.Length `json:"size,omitempty"`
	Margin  frame.Length `json:"margin,omitempty"`
	Opacity float64      `json:"opacity,omitempty"` // above 0, up to 1
	// Along turns the mark so that it runs along an upright edge: "up" reads from
	// below, "down" from above.
	Along string `json:"along,omitempty"`
	Below string `json:"below,omitempty"` // Halo, Tint or nothing
	// Longest makes copies whose longer side is at most so many px; 0 leaves the
	// photographs as large as they are.
	Longest int `json:"longest,omitempty"`
	// Name is how files are called: {photo}, {mark} (dark or light), {number}.
	Name string `json:"name,omitempty"`
}

// Default is the usual setting.
func Default() Setting {
	return Setting{Mark: Auto, Place: "bottom-right", Size: "12%", Margin: "3%", Opacity: Usual, Name: "{photo}_marked"}
}

// Scaled is a full setting for a copy of a photograph k times as large: lengths in px
// are the same part of it. The copy is not made smaller once more.
func (s Setting) Scaled(k float64) Setting {
	scale := func(l frame.Length) frame.Length {
		if l.Unit() == "%" {
			return l
		}
		v, err := l.Px(100)
		if err != nil {
			return l // Check says so
		}
		return frame.Length(strconv.FormatFloat(v*k, 'g', 6, 64))
	}
	s.Size, s.Margin, s.Longest = scale(s.Size), scale(s.Margin), 0
	return s
}

// Limits of a setting.
const (
	minLongest = 16
	maxLongest = 20000
)

// Full is the setting with what is not said as Default says it.
func (s Setting) Full() Setting {
	d := Default()
	fill := func(v *string, with string) {
		if *v == "" {
			*v = with
		}
	}
	fill(&s.Mark, d.Mark)
	fill(&s.Place, d.Place)
	fill((*string)(&s.Size), string(d.Size))
	fill((*string)(&s.Margin), string(d.Margin))
	fill(&s.Name, d.Name)
	if s.Opacity == 0 {
		s.Opacity = d.Opacity
	}
	return s
}

// Check says in a sentence what of a full setting cannot be.
func (s Setting) Check() error {
	size, err := s.Size.Px(100)
	if err != nil {
		return fmt.Errorf("the size: %w", err)
	}
	margin, err := s.Margin.Px(100)
	if err != nil {
		return fmt.Errorf("the margin: %w", err)
	}
	relative := s.Size.Unit() == "%"
	switch {
	case s.Mark != Auto && s.Mark != Dark && s.Mark != Light:
		return fmt.Errorf("%q is no mark to lay on: auto, dark or light", s.Mark)
	case s.Place != Quiet && s.Place != Free && !slices.Contains(Places, s.Place):
		return fmt.Errorf("%q is no place: there are the nine, quiet and free", s.Place)
	case !within(s.X, 0, 1) || !within(s.Y, 0, 1):
		return errors.New("a free place is told in parts of the photograph, from 0 to 1")
	case !(size > 0) || relative && size > 100:
		return errors.New("the size of the mark is more than 0 and at most 100 % of the shorter side")
	case !(margin >= 0) || s.Margin.Unit() == "%" && margin > 45:
		return errors.New("the margin is 0 to 45 % of the shorter side")
	case !(s.Opacity > 0 && s.Opacity <= 1):
		return errors.New("the opacity is more than 0 and at most 100 %")
	case s.Along != "" && s.Along != "up" && s.Along != "down":
		return fmt.Errorf("%q is no way along an edge: up or down", s.Along)
	case s.Below != "" && s.Below != Halo && s.Below != Tint:
		return fmt.Errorf("%q cannot lie below the mark: halo or tint", s.Below)
	case s.Longest != 0 && (s.Longest < minLongest || s.Longest > maxLongest):
		return fmt.Errorf("the longer side is %d to %d px", minLongest, maxLongest)
	}
	return checkName(s.Name)
}

func within(v, lo, hi float64) bool { return v >= lo && v <= hi }

// box is where a mark of the given proportions goes on a photograph of w × h px,
// in px of it; the mark is turned already.
func (s Setting) box(place string, aspect float64, w, h int) geom.Rect {
	short := float64(min(w, h))
	long, _ := s.Size.Px(short) // checked
	margin, _ := s.Margin.Px(short)
	mw, mh := long, long/aspect
	if aspect < 1 {
		mw, mh = long*aspect, long
	}
	// Never larger than there is room.
	room := geom.Rect{X0: margin, Y0: margin, X1: float64(w) - margin, Y1: float64(h) - margin}
	if room.W() < 1 || room.H() < 1 {
		room = geom.Rect{X1: float64(w), Y1: float64(h)}
	}
	k := min(1, room.W()/mw, room.H()/mh)
	mw, mh = max(1, math.Round(mw*k)), max(1, math.Round(mh*k))
	x, y := room.X0+(room.W()-mw)/2, room.Y0+(room.H()-mh)/2
	switch place {
	case "top-left", "left", "bottom-left":
		x = room.X0
	case "top-right", "right", "bottom-right":
		x = room.X1 - mw
	}
	switch place {
	case "top-left", "top", "top-right":
		y = room.Y0
	case "bottom-left", "bottom", "bottom-right":
		y = room.Y1 - mh
	}
	if place == Free { // as near as it goes without leaving the photograph
		x = min(max(0, s.X*float64(w)-mw/2), float64(w)-mw)
		y = min(max(0, s.Y*float64(h)-mh/2), float64(h)-mh)
	}
	x, y = max(0, math.Round(x)), max(0, math.Round(y))
	return geom.Rect{X0: x, Y0: y, X1: x + mw, Y1: y + mh}
}

// detailCells is how finely detail is looked at: so many cells along the longer side
// of the mark. Finer detail does not disturb a mark, and a small copy of a photograph
// is as busy as the photograph.
const detailCells = 16

// detail is how busy a picture is: the mean step of L* from one cell of it to the
// next, both ways. l holds L* of w × h pixels.
func detail(l []float64, w, h int) float64 {
	nx, ny := detailCells, detailCells
	if w > h {
		ny = max(1, (detailCells*h+w/2)/w)
	} else {
		nx = max(1, (detailCells*w+h/2)/h)
	}
	nx, ny = min(nx, w), min(ny, h)
	cells := make([]float64, nx*ny)
	for cy := range ny {
		for cx := range nx {
			x0, x1, y0, y1 := cx*w/nx, (cx+1)*w/nx, cy*h/ny, (cy+1)*h/ny
			sum := 0.0
			for y := y0; y < y1; y++ {
				for x := x0; x < x1; x++ {
					sum += l[y*w+x]
				}
			}
			cells[cy*nx+cx] = sum / float64((x1-x0)*(y1-y0))
		}
	}
	sum, n := 0.0, 0
	for y := range ny {
		for x := range nx {
			if x > 0 {
				sum += math.Abs(cells[y*nx+x] - cells[y*nx+x-1])
				n++
			}
			if y > 0 {
				sum += math.Abs(cells[y*nx+x] - cells[(y-1)*nx+x])
				n++
			}
		}
	}
	return sum / float64(max(1, n))
}

// lightness is CIE L* of the pixels of an opaque picture.
func lightness(pix []uint8) []float64 {
	out := make([]float64, 0, len(pix)/4)
	for i := 0; i < len(pix); i += 4 {
		out = append(out, lstar(pix[i:]))
	}
	return out
}

func lstar(p []uint8) float64 {
	return lOf(colour.BT709.Of(linear[p[0]], linear[p[1]], linear[p[2]]))
}

// linear is the light of the 256 steps of sRGB.
var linear = func() (t [256]float64) {
	for i := range t {
		t[i] = colour.Linear(float64(i) / 255)
	}
	return t
}()

// lOf is CIE L* of a luminance from 0 to 1 (CIE 15).
func lOf(y float64) float64 {
	if y > 216.0/24389 {
		return 116*math.Cbrt(y) - 16
	}
	return y * 24389 / 27
}
