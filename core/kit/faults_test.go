package kit

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"io"
	"slices"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/export"
	"dyekit/core/flat"
	"dyekit/core/format"
	"dyekit/core/geom"
	"dyekit/core/recipe"
)

// faulty is a master with what can go wrong: a gradient, letters as shapes, a
// hole, a translucent shape, a spot ink.
const faulty = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 200"><defs><linearGradient id="g"><stop stop-color="#225"/><stop offset=".5" stop-color="#a3322b"/><stop offset="1" stop-color="#e80"/></linearGradient></defs>
 <rect x="10" y="10" width="280" height="120" fill="url(#g)"/><path d="M40 40h60v60h-60zM55 55h30v30h-30z" fill="#1a5f7a" fill-rule="evenodd"/>
 <circle cx="200" cy="70" r="40" fill="#d9b310" opacity=".6"/><text x="20" y="180" font-family="Hanken Grotesk" font-size="44" font-weight="700" fill="#235">Kettle</text></svg>`

const faultyRecipe = `{"name":"faults","naming":"{brand}_{version}_{size}_{colour}","frame":{"margin":"4%"},
 "versions":[{"name":"colour","treatment":"as-drawn"},{"name":"black","treatment":"single-ink","ink":{"name":"Black","rgb":"#000000","cmyk":[0,0,0,100]}},
  {"name":"plum","treatment":"single-ink","ink":{"name":"Plum","rgb":"#6b2d4f","cmyk":[40,85,20,35],"spot":"Kettle Plum"}}],
 "files":[{"format":"png","widths":[600],"ppi":72},{"format":"jpeg","widths":[600],"ppi":300},{"format":"jpeg","widths":[600],"colour":"cmyk"},{"format":"tiff","widths":[300],"ppi":300},{"format":"webp","widths":[300]},{"format":"ico"},
  {"format":"svg"},{"format":"pdf","colour":"cmyk"},{"format":"pdf","colour":"rgb","pages":"one-per-version-file"},{"format":"eps","colour":"cmyk","level":3,"versions":["black","plum"]}]}`

// Each of these faults is small, each was put into a right file or a right
// picture, and none gets through. Every second line is told by name so that a
// check that finds the wrong thing is seen too; "" is any.
func TestChecksCatchWrongFiles(t *testing.T) {
	s := newSpoiler(t, Input{Master: []byte(faulty), MasterName: "x.svg", Brand: "Odd Kettle", Recipe: parse(t, faultyRecipe)})
	j, all, ctx := s.job, s.all, context.Background()
	judge, file, text, plan, picture, drawn := s.judge, s.file, s.text, s.plan, s.picture, s.drawn
	const png, jpg, press, svg = "PNG/odd-kettle_colour_600_rgb.png", "JPEG/odd-kettle_colour_600_rgb.jpg", "JPEG/odd-kettle_colour_600_cmyk.jpg", "SVG/odd-kettle_colour_rgb.svg"
	const pdf, rgb, eps = "PDF/odd-kettle_cmyk.pdf", "PDF/odd-kettle_colour_rgb.pdf", "EPS/odd-kettle_black_cmyk.eps"

	// Parts and places, in every kind of file.
	for _, path := range []string{png, jpg, press, "TIFF/odd-kettle_colour_300_rgb.tif", "WEBP/odd-kettle_colour_300_rgb.webp", "ICO/odd-kettle_colour_rgb.ico", svg, rgb} {
		drawn("the square is gone: "+path, path, nth(1, gone))
		drawn("the hole is filled: "+path, path, nth(1, func(s *drawing.Shape) drawing.Node { s.Path = s.Path.Subpaths()[0]; return s }))
	}
	for _, path := range []string{png, press, svg, rgb} {
		drawn("one glyph is gone: "+path, path, nth(3, gone))
		drawn("half a pixel aside: "+path, path, nth(1, moved(0.26, 0)))
		drawn("the rule is reversed: "+path, path, nth(1, func(s *drawing.Shape) drawing.Node { s.Rule = geom.NonZero; return s }))
		drawn("one stop is gone: "+path, path, nth(0, func(s *drawing.Shape) drawing.Node {
			g := *s.Paint.(*drawing.Gradient)
			g.Stops = []drawing.Stop{g.Stops[0], g.Stops[2]}
			s.Paint = &g
			return s
		}))
		drawn("another opacity: "+path, path, nth(2, func(s *drawing.Shape) drawing.Node {
			if p, ok := s.Paint.(drawing.Solid); ok {
				p.Alpha *= 0.8
				s.Paint = p
			}
			return s
		}))
	}
	for _, path := range []string{png, svg, rgb} {
		drawn("a colour off by 3: "+path, path, nth(1, func(s *drawing.Shape) drawing.Node {
			s.Paint = drawing.Solid{Colour: colour.Screen(colour.FromBytes(0x1a+3, 0x5f, 0x7a)), Alpha: 1}
			return s
		}))
	}
	picture("cut at the right edge", png, "drawing", func(img *image.NRGBA) {
		for y := range img.Rect.Dy() {
			clear(img.Pix[y*img.Stride+4*(img.Rect.Dx()-34) : (y+1)*img.Stride])
		}
	})
	picture("upside down", png, "drawing", func(img *image.NRGBA) {
		h := img.Rect.Dy()
		for y := range h / 2 {
			a, b := img.Pix[y*img.Stride:][:img.Stride], img.Pix[(h-1-y)*img.Stride:][:img.Stride]
			for i := range a {
				a[i], b[i] = b[i], a[i]
			}
		}
	})
	picture("red and blue changed", png, "drawing", func(img *image.NRGBA) {
		for i := 0; i < len(img.Pix); i += 4 {
			img.Pix[i], img.Pix[i+2] = img.Pix[i+2], img.Pix[i]
		}
	})
	picture("a white box behind", png, "drawing", func(img *image.NRGBA) {
		for i := 0; i < len(img.Pix); i += 4 {
			if img.Pix[i+3] == 0 {
				copy(img.Pix[i:], []uint8{255, 255, 255, 255})
			}
		}
	})
	picture("edges without smoothing", png, "drawing", func(img *image.NRGBA) {
		for i := 3; i < len(img.Pix); i += 4 {
			img.Pix[i] = uint8(int(img.Pix[i]) / 128 * 255)
		}
	})

	// Claims.
	plan("a pixel wider", png, "pixel-size", func(f *recipe.File) { f.W++ })
	plan("another resolution", png, "resolution", func(f *recipe.File) { f.PPI = 300 })
	plan("another density of JPEG", jpg, "resolution", func(f *recipe.File) { f.PPI = 299 })
	plan("another version", png, "", func(f *recipe.File) { f.Versions = []string{"black"} })
	plan("a page less", pdf, "pages", func(f *recipe.File) { f.Versions = f.Versions[:1] })
	plan("pages in another order", pdf, "", func(f *recipe.File) { f.Versions = []string{"black", "colour", "plum"} })
	plan("another colour space", rgb, "", func(f *recipe.File) { f.Entry.Colour = format.CMYK })

	// Bytes.
	for _, path := range []string{png, jpg, svg, pdf, eps} {
		file("cut off: "+path, path, "", func(b []byte) []byte { return b[:len(b)/2] })
	}
	file("a density of its own", png, "resolution", func(b []byte) []byte {
		i := bytes.Index(b, []byte("pHYs"))
		binary.BigEndian.PutUint32(b[i+4:], 3000)
		binary.BigEndian.PutUint32(b[i+8:], 3000)
		binary.BigEndian.PutUint32(b[i+13:], crc32.ChecksumIEEE(b[i:i+13]))
		return b
	})
	file("another table of quantisation", jpg, "picture", func(b []byte) []byte {
		i := bytes.Index(b, []byte("\xff\xdb"))
		b[i+5] *= 2
		return b
	})
	text("an ink of another build", eps, "", "0 0 0 1 k", "0 0 .03 1 k")
	text("an ink on another plate", "EPS/odd-kettle_plum_cmyk.eps", "", "Separation \\(Kettle Plum\\)", "Separation (Kettle Plumb)")
	text("another box", eps, "", "HiResBoundingBox: 0 0 ", "HiResBoundingBox: 0 0 9")
	text("a curve made a line", eps, "", "[0-9. -]+ c\n", "1 1 l\n")
	text("a point moved", svg, "", `d="M(\d)`, `d="M9$1`)
	text("live text", svg, "no-fonts", "</svg>", "<text/></svg>")
	text("a script", svg, "", "</svg>", "<script/></svg>")
	text("something fetched", svg, "", "</svg>", `<image href="https://x.example/a.png" width="1" height="1"/></svg>`)
	text("another view box", svg, "", `viewBox="0 0 \d+`, `viewBox="0 0 299`)
	text("no title", svg, "described", "<title>[^<]*</title>", "")
	file("the last shape is gone", svg, "shapes", func(b []byte) []byte {
		return append(b[:bytes.LastIndex(b, []byte("<path"))], "</svg>\n"...)
	})

	// Of pictures that share their lines the palette is looked at. Each is tried as
	// the one that is read first, and as one of the others.
	for _, path := range []string{"PNG/odd-kettle_black_600_rgb.png", "PNG/odd-kettle_plum_600_rgb.png"} {
		entry := func(chunk string, at int) func(b []byte) []byte {
			return func(b []byte) []byte {
				i := bytes.Index(b, []byte(chunk))
				n := int(binary.BigEndian.Uint32(b[i-4:]))
				b[i+4+at] ^= 1
				binary.BigEndian.PutUint32(b[i+4+n:], crc32.ChecksumIEEE(b[i:i+4+n]))
				return b
			}
		}
		for _, first := range []bool{false, true} {
			wrong := func(name, check, chunk string, at int) {
				t.Helper()
				if first {
					j.reads = memo[*alike]{}
				}
				file(fmt.Sprintf("%s: %s, first %v", name, path, first), path, check, entry(chunk, at))
			}
			wrong("one entry of another ink", "", "PLTE", 3*9)
			wrong("one entry fainter", "picture", "tRNS", 9)
			wrong("what is bare is seen", "picture", "tRNS", 0)
		}
		// A wrong one that was read first harms no other.
		for _, other := range all {
			if other.px.runs == nil {
				continue
			}
			if cs, err := j.check(ctx, other.f, other.px, other.data); err != nil {
				t.Fatal(err)
			} else if c, bad := failed(cs); bad {
				t.Errorf("%s is right and refused: %s: %s", other.f.Path, c.Name, c.Found)
			}
		}
	}

	// Small faults of flat art: one pixel, one step, one row.
	const flatPNG = "PNG/odd-kettle_black_600_rgb.png"
	other := func(name, check string, change func(pic *flat.Picture) *flat.Picture) {
		t.Helper()
		m := all[flatPNG]
		if m.px.runs == nil {
			t.Fatalf("%s is not made of runs", flatPNG)
		}
		pic := *change(m.px.runs)
		pic.Of = nil // it is not inked from the same any more
		data, err := export.Bytes(func(w io.Writer) error { return j.encode(ctx, w, m.f, pixels{runs: &pic}) })
		if err != nil {
			t.Fatal(err)
		}
		if bytes.Equal(data, m.data) {
			t.Fatalf("%s: nothing was changed", name)
		}
		judge(name, m.f, m.px, data, check)
	}
	// one changes the middle run of a row in the middle that has at least n.
	one := func(n int, change func(r *flat.Run)) func(pic *flat.Picture) *flat.Picture {
		return func(pic *flat.Picture) *flat.Picture {
			c := *pic
			c.Rows = slices.Clone(pic.Rows)
			for y := pic.H / 3; ; y++ {
				if row := slices.Clone(pic.Rows[y]); len(row) >= n {
					change(&row[len(row)/2])
					c.Rows[y] = row
					return &c
				}
			}
		}
	}
	other("one pixel a step redder", "picture", one(3, func(r *flat.Run) { r.Colour++ }))
	other("one pixel a step fainter", "picture", one(3, func(r *flat.Run) { r.Colour ^= 1 << 24 }))
	other("an edge a pixel aside in one row", "picture", one(3, func(r *flat.Run) { r.End-- }))
	other("a row twice", "picture", func(pic *flat.Picture) *flat.Picture {
		c := *pic
		c.Rows = slices.Clone(pic.Rows)
		for y := 1; y < c.H; y++ {
			if !slices.Equal(c.Rows[y], c.Rows[y-1]) {
				c.Rows[y] = c.Rows[y-1]
				return &c
			}
		}
		return pic
	})
	other("in another ink", "picture", func(pic *flat.Picture) *flat.Picture { return pic.Inked(0, 0, 2) })
	// A faithful copy of what was drawn wrongly.
	copied := func(name, check string, pic *flat.Picture) {
		t.Helper()
		m := all[flatPNG]
		px := pixels{runs: pic}
		data, err := export.Bytes(func(w io.Writer) error { return j.encode(ctx, w, m.f, px) })
		if err != nil {
			t.Fatal(err)
		}
		judge(name, m.f, px, data, check)
	}
	copied("drawn in another ink", "", all[flatPNG].px.runs.Inked(0, 0, 2))
	copied("a column too far left", "drawing", func() *flat.Picture {
		c := *all[flatPNG].px.runs
		c.Of, c.Rows = nil, slices.Clone(c.Rows)
		for y, row := range c.Rows {
			c.Rows[y] = slices.Clone(row)
			for i := range row[:len(row)-1] {
				c.Rows[y][i].End = max(1, row[i].End-1)
			}
		}
		return &c
	}())
	drawn("a shape aside in one ink", flatPNG, nth(0, moved(0.26, 0)))
	chunk := func(name, check, kind string, change func(body []byte)) {
		t.Helper()
		file(name, flatPNG, check, chunked(kind, change))
	}
	chunk("a colour of the palette a step off", "picture", "PLTE", func(b []byte) { b[len(b)-2]++ })
	chunk("an opacity of the palette a step off", "picture", "tRNS", func(b []byte) { b[len(b)/2]++ })
	chunk("the sum of its lines is wrong", "opens", "IDAT", func(b []byte) { b[len(b)-1]++ })
	file("the sum of a chunk is wrong", flatPNG, "opens", func(b []byte) []byte { b[bytes.Index(b, []byte("IEND"))+4]++; return b })
	file("something behind its end", flatPNG, "opens", func(b []byte) []byte { return append(b, 0) })
	file("a chunk out of place", flatPNG, "opens", func(b []byte) []byte {
		i := bytes.Index(b, []byte("pHYs")) - 4
		c := bytes.Clone(b[i : i+21])
		b = append(b[:i], b[i+21:]...)
		return append(append(b[:len(b)-12:len(b)-12], c...), b[len(b)-12:]...)
	})
	func() {
		m := all[jpg]
		img := image.NewNRGBA(m.px.screen[0].Rect)
		copy(img.Pix, m.px.screen[0].Pix)
		for y := range 8 {
			for x := range 8 {
				img.Pix[img.PixOffset(8+x, 8+y)+1] -= 14
			}
		}
		data, err := export.Bytes(func(w io.Writer) error { return j.encode(ctx, w, m.f, pixels{screen: []*image.NRGBA{img}}) })
		if err != nil {
			t.Fatal(err)
		}
		judge("one block of a JPEG a little off", m.f, m.px, data, "picture")
	}()
	if s.n < 84 {
		t.Errorf("%d faults, want 84", s.n)
	}
}
