package intake_test

import (
	"bytes"
	"context"
	"math"
	"os"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/intake"
	"dyekit/core/intake/typed"
)

const symbol = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 80 80"><circle cx="40" cy="40" r="30" fill="#206047"/></svg>`

func wordmark(t *testing.T) []byte {
	t.Helper()
	b, err := (&typed.Doc{Lines: []typed.Line{{Text: "Larkmoor", Font: "Lora"}}}).Bytes()
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// A symbol from a drawing and a wordmark from words become one master: beside or
// below one another, in the sizes and with the gap asked for.
func TestComposed(t *testing.T) {
	c := &intake.Composition{Gap: 0.25, Pieces: []intake.Piece{{Part: "symbol", Name: "a.svg", Data: []byte(symbol)}, {Part: "wordmark", Name: "b.json", Size: 0.5, Data: wordmark(t)}}}
	for _, below := range []bool{false, true} {
		c.Below = below
		data, err := c.Bytes()
		if err != nil {
			t.Fatal(err)
		}
		m := read(t, data)
		if got := strings.Join(m.Drawing.Parts(), " "); got != "symbol wordmark" || m.Kind.Key != "composed" || !m.Kind.Vector {
			t.Errorf("parts %s of a %s", got, m.Kind.Name)
		}
		a, b := drawing.Bounds(m.Drawing.Nodes[0]), drawing.Bounds(m.Drawing.Nodes[1])
		gap, middle := b.X0-a.X1, math.Abs(a.Centre().Y-b.Centre().Y)
		if below {
			gap, middle = b.Y0-a.Y1, math.Abs(a.Centre().X-b.Centre().X)
		}
		if math.Abs(a.H()-60) > 1e-6 || math.Abs(b.H()-30) > 1e-6 || math.Abs(gap-15) > 1e-6 || middle > 1e-6 {
			t.Errorf("the pieces stand at %v and %v", a, b)
		}
		again, _ := c.Bytes()
		if !bytes.Equal(data, again) {
			t.Error("the same composition gave other bytes")
		}
	}
}

// Pieces keep what was decided about their files, and may be of any kind.
func TestComposedOfOtherKinds(t *testing.T) {
	pdf, err := os.ReadFile("pdf/testdata/reportlab.pdf")
	if err != nil {
		t.Fatal(err)
	}
	c := &intake.Composition{Pieces: []intake.Piece{{Part: "square", Data: pdf, Mends: []intake.Mend{"sheet 2"}}, {Part: "symbol", Data: []byte(symbol)}}}
	data, err := c.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	d := read(t, data).Drawing
	if a := drawing.Bounds(d.Nodes[0]); math.Abs(a.W()-80) > 0.1 || math.Abs(a.H()-80) > 0.1 { // 60 pt
		t.Errorf("the square is %v", a)
	}
}

func TestComposedRefused(t *testing.T) {
	ok := intake.Piece{Part: "symbol", Data: []byte(symbol)}
	inner, err := (&intake.Composition{Pieces: []intake.Piece{ok, ok}}).Bytes()
	if err != nil {
		t.Fatal(err)
	}
	for want, c := range map[string]*intake.Composition{
		"2 to 4 files":      {Pieces: []intake.Piece{ok}},
		"needs a name":      {Pieces: []intake.Piece{ok, {Data: []byte(symbol)}}},
		"0.01 to 100":       {Pieces: []intake.Piece{ok, {Part: "x", Size: 1e9, Data: []byte(symbol)}}},
		"0 to 10 heights":   {Gap: -1, Pieces: []intake.Piece{ok, ok}},
		"no way to align":   {Align: "left", Pieces: []intake.Piece{ok, ok}},
		"composed itself":   {Pieces: []intake.Piece{ok, {Part: "x", Data: inner}}},
		"x: the file is em": {Pieces: []intake.Piece{ok, {Part: "x"}}},
	} {
		c.Composed = 1
		if _, _, err := c.Draw(context.Background(), intake.Options{}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %q", err, want)
		}
	}
	if _, err := intake.Read(context.Background(), []byte(`{"composed":1,"nonsense":2}`), intake.Options{}); err == nil {
		t.Error("nonsense was read")
	}
}
