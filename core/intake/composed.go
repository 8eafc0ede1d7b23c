package intake

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
)

// A Composition is a master put together from several: a symbol from one file, a
// wordmark from another. It is kept as JSON with the files inside, so that it is
// one master like any other.
type Composition struct {
	Composed int     `json:"composed"` // 1
	Pieces   []Piece `json:"pieces"`
	Below    bool    `json:"below,omitempty"` // each below the last; otherwise beside it
	Gap      float64 `json:"gap"`             // between them, as a share of the first one's height
	Align    string  `json:"align,omitempty"` // start, centre or end, across; centre if empty
}

// A Piece is one of the files.
type Piece struct {
	Part  string  `json:"part"` // what it is called in the master
	Name  string  `json:"name"` // of its file
	Size  float64 `json:"size"` // its height, as a share of the first one's; 1 if 0
	Mends []Mend  `json:"mends,omitempty"`
	Data  []byte  `json:"data"`
}

// Limits of a composition.
const (
	MaxPieces   = 4
	MaxComposed = 50 << 20 // bytes, the files in base 64
	composition = `{"composed":`
)

// ComposeAligns are the ways to align the pieces, in the order in which they are
// offered.
var ComposeAligns = []string{"start", "centre", "end"}

// Bytes is the composition as it is kept; equal ones give equal bytes.
func (c *Composition) Bytes() ([]byte, error) {
	c.Composed = 1
	if err := c.Check(); err != nil {
		return nil, err
	}
	b, err := json.Marshal(c)
	if err == nil && len(b) > MaxComposed {
		err = fmt.Errorf("the files are together larger than %d MB", MaxComposed>>20)
	}
	return b, err
}

// Check reports what cannot be put together.
func (c *Composition) Check() error {
	switch {
	case c.Composed != 1:
		return fmt.Errorf("the composed master is of version %d, which is not known here", c.Composed)
	case len(c.Pieces) < 2 || len(c.Pieces) > MaxPieces:
		return fmt.Errorf("a master is composed of 2 to %d files", MaxPieces)
	case !(c.Gap >= 0 && c.Gap <= 10):
		return errors.New("the gap between the pieces is 0 to 10 heights of the first")
	case c.Align != "" && !slices.Contains(ComposeAligns, c.Align):
		return fmt.Errorf("%q is no way to align pieces; there are start, centre and end", c.Align)
	}
	for _, p := range c.Pieces {
		if p.Part == "" || len(p.Part) > 80 {
			return errors.New("every piece needs a name, such as symbol or wordmark")
		}
		if p.Size != 0 && !(p.Size >= 0.01 && p.Size <= 100) {
			return fmt.Errorf("the size of %s is 0.01 to 100 heights of the first piece", p.Part)
		}
	}
	return nil
}

func readComposed(ctx context.Context, data []byte, opt Options) (source, error) {
	if len(data) > MaxComposed {
		return source{}, fmt.Errorf("the composed master is larger than %d MB", MaxComposed>>20)
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	var c Composition
	if err := dec.Decode(&c); err != nil {
		return source{}, fmt.Errorf("the composed master cannot be read: %w", err)
	}
	d, fs, err := c.Draw(ctx, opt)
	return source{d, fs, 0, false}, err
}

// Draw reads the files and puts them together. Of opt the fonts count.
func (c *Composition) Draw(ctx context.Context, opt Options) (*drawing.Drawing, finding.List, error) {
	if err := c.Check(); err != nil {
		return nil, nil, err
	}
	out := &drawing.Drawing{}
	var fs finding.List
	height, at := 0.0, 0.0
	var boxes []geom.Rect
	var all [][]drawing.Node
	for i, p := range c.Pieces {
		if k, ok := KindOf(p.Data); ok && k.Key == "composed" {
			return nil, nil, fmt.Errorf("%s is composed itself; take its own files", p.Part)
		}
		m, err := Read(ctx, p.Data, Options{Fonts: opt.Fonts, Mends: p.Mends, StandIn: opt.StandIn})
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", p.Part, err)
		}
		for _, f := range m.Findings {
			if f.Mend == "" && f.Spots == nil { // what is mended is mended in the file itself
				f.Parts, f.Place = []string{p.Part}, geom.Rect{}
				fs = append(fs, f)
			}
		}
		b := m.Drawing.Bounds()
		if b.Empty() {
			return nil, nil, fmt.Errorf("%s is empty", p.Part)
		}
		size := p.Size
		if size == 0 {
			size = 1
		}
		if i == 0 {
			height, size = b.H(), 1
			out.Title = m.Drawing.Title
		}
		k := size * height / b.H()
		to := geom.Scale(k, k).Mul(geom.Translate(-b.X0, -b.Y0))
		if c.Below {
			to = geom.Translate(0, at).Mul(to)
			at += k*b.H() + c.Gap*height
		} else {
			to = geom.Translate(at, 0).Mul(to)
			at += k*b.W() + c.Gap*height
		}
		boxes = append(boxes, to.Rect(b))
		all = append(all, named(drawing.Moved(m.Drawing.Nodes, to), p.Part))
	}
	across := 0.0 // of all pieces
	for _, b := range boxes {
		if c.Below {
			across = max(across, b.W())
		} else {
			across = max(across, b.H())
		}
	}
	for i, ns := range all {
		room := across - boxes[i].H()
		if c.Below {
			room = across - boxes[i].W()
		}
		switch c.Align {
		case "start":
			room = 0
		case "", "centre":
			room /= 2
		}
		shift := geom.Translate(0, room)
		if c.Below {
			shift = geom.Translate(room, 0)
		}
		out.Nodes = append(out.Nodes, drawing.Moved(ns, shift)...)
	}
	page := out.Bounds()
	out.Nodes = drawing.Moved(out.Nodes, geom.Translate(-page.X0, -page.Y0))
	out.Page = geom.Rect{X1: page.W(), Y1: page.H()}
	return out, fs, nil
}

// named gives all of some nodes one part.
func named(ns []drawing.Node, part string) []drawing.Node {
	out := make([]drawing.Node, len(ns))
	for i, n := range ns {
		switch n := n.(type) {
		case *drawing.Shape:
			c := *n
			c.Part, c.Piece = part, 0
			out[i] = &c
		case *drawing.Picture:
			c := *n
			c.Part, c.Piece = part, 0
			out[i] = &c
		case *drawing.Group:
			c := *n
			c.Part, c.Nodes = part, named(n.Nodes, part)
			out[i] = &c
		}
	}
	return out
}
