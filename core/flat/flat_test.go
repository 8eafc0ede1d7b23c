package flat

import (
	"math/rand/v2"
	"testing"
)

// Pixels, runs and single places tell the same, and a pixel that is changed is
// counted; of what is bare the colour does not matter.
func TestRunsAndPixels(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	p := &Picture{W: 61, H: 40}
	for y := range p.H {
		if y > 0 && r.IntN(3) == 0 {
			p.Rows = append(p.Rows, p.Rows[y-1])
			continue
		}
		var row []Run
		for at := 0; at < p.W; {
			at = min(p.W, at+1+r.IntN(20))
			c := Colour([4]uint8{uint8(r.IntN(4) * 60), 9, 200, uint8(r.IntN(3) * 127)})
			row = append(row, Run{int32(at), c})
		}
		p.Rows = append(p.Rows, row)
	}
	img := p.Image()
	for y := range p.H {
		row := img.Pix[y*img.Stride:][:4*p.W]
		if n := Differ(row, p.Rows[y]); n != 0 {
			t.Fatalf("row %d differs from itself in %d px", y, n)
		}
		for x := range p.W {
			if c := p.At(x, y); c != [4]uint8(row[4*x:]) {
				t.Fatalf("at %d, %d: %v, not %v", x, y, c, row[4*x:4*x+4])
			}
		}
		changed := 0
		for x := range p.W {
			switch b := row[4*x:]; {
			case r.IntN(5) > 0:
			case b[3] == 0:
				b[0] = 77 // nobody sees it
			default:
				b[1]++
				changed++
			}
		}
		if n := Differ(row, p.Rows[y]); n != changed {
			t.Errorf("row %d: %d px changed, %d told", y, changed, n)
		}
		if p.Same(y) != (y > 0 && &p.Rows[y][0] == &p.Rows[y-1][0]) {
			t.Errorf("row %d", y)
		}
	}
}

// In another ink the opacities stay, and so does what rows share.
func TestInked(t *testing.T) {
	row := []Run{{3, 0}, {5, Colour([4]uint8{9, 8, 7, 128})}, {9, Colour([4]uint8{1, 2, 3, 255})}}
	p := &Picture{W: 9, H: 3, Rows: [][]Run{row, row, {{9, 0}}}}
	q := p.Inked(255, 0, 10)
	if q.Of != p || !q.Same(1) || q.Same(2) || q.At(8, 0) != [4]uint8{255, 0, 10, 255} || q.At(4, 1) != [4]uint8{255, 0, 10, 128} || q.At(0, 0) != [4]uint8{} {
		t.Errorf("%v", q.Rows)
	}
}
