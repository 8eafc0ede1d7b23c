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

// A row of indices differs from runs in as many pixels as the row that it stands
// for: right ones in none.
func TestDifferIndexed(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 9))
	var table [256][4]uint8
	for i := range table {
		table[i] = [4]uint8{uint8(i), 9, 9, uint8(i / 2 * 2)} // two entries are bare
	}
	none := 0
	for range 300 {
		w := 1 + r.IntN(90)
		line, full := make([]uint8, w), make([]uint8, 4*w)
		var row []Run
		for at := 0; at < w; {
			end := min(w, at+1+r.IntN(30))
			i := uint8(r.IntN(6))
			for x := at; x < end; x++ {
				if line[x] = i; r.IntN(60) == 0 {
					line[x] = uint8(r.IntN(256))
				}
				copy(full[4*x:], table[line[x]][:])
			}
			row = append(row, Run{int32(end), Colour(table[i])})
			at = end
		}
		want := Differ(full, row)
		if got := DifferIndexed(line, &table, row); got != want {
			t.Fatalf("%d px differ, want %d: %v %v", got, want, line, row)
		}
		if want == 0 {
			none++
		}
	}
	if none < 20 || none > 280 {
		t.Errorf("%d of 300 rows were right", none)
	}
}

// Laid on a ground, runs have the colours that their pixels get, and neighbours
// that become one colour are one run.
func TestOn(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	p := &Picture{W: 40, H: 30}
	for y := range p.H {
		if y%3 == 1 {
			p.Rows = append(p.Rows, p.Rows[y-1])
			continue
		}
		var row []Run
		for x := 0; x < p.W; {
			x = min(p.W, x+1+r.IntN(9))
			row = append(row, Run{int32(x), Colour([4]uint8{uint8(r.IntN(3) * 100), 20, 30, uint8(r.IntN(4) * 85)})})
		}
		p.Rows = append(p.Rows, row)
	}
	q, img := p.On(0, 20, 30), p.Image()
	for y := range p.H {
		if p.Same(y) && !q.Same(y) {
			t.Errorf("row %d is no longer that above it", y)
		}
		for i, k := range q.Rows[y] {
			if i > 0 && k.Colour == q.Rows[y][i-1].Colour {
				t.Errorf("row %d: two runs of one colour", y)
			}
		}
		for x := range p.W {
			if got, want := q.At(x, y), Over([4]uint8(img.Pix[img.PixOffset(x, y):]), [3]uint8{0, 20, 30}); got != want {
				t.Errorf("%d, %d: %v, want %v", x, y, got, want)
			}
		}
	}
}
