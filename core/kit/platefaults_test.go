package kit

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"slices"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/drawing"
)

// plated is a page in inks: a tint of a plate, two plates in one colour, a plate with black,
// a build, and a picture in process inks and one in the plate.
func plated() []byte {
	calculator := func(proc string) string {
		return fmt.Sprintf("<</FunctionType 4/Domain[0 1 0 1]/Range[0 1 0 1 0 1 0 1]/Length %d>>\nstream\n%s\nendstream", len(proc), proc)
	}
	picture := func(space string, data []byte) string {
		return fmt.Sprintf("<</Type/XObject/Subtype/Image/Width 8/Height 8/BitsPerComponent 8/ColorSpace%s/Length %d>>\nstream\n%s\nendstream", space, len(data), data)
	}
	const ember = "[/Separation/Ember/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 .1]>>]"
	var process, tints []byte
	for i := range 64 {
		process = append(process, byte(i*3), byte(250-i*3), byte(i*2), byte(i))
		tints = append(tints, byte(i*4))
	}
	return pdfOf(200, "/Resources<</ColorSpace<</S"+ember+"/D[/DeviceN[/Ember/Moor]/DeviceCMYK 5 0 R]/K[/DeviceN[/Ember/Black]/DeviceCMYK 6 0 R]>>/XObject<</P 7 0 R/T 8 0 R>>>>",
		`/S cs .4 scn 10 110 60 60 re f /D cs .6 .25 scn 80 110 60 60 re f /K cs .3 .7 scn 150 110 40 60 re f
		.1 .2 .3 .4 k 10 20 m 70 20 l 40 90 l f /S cs 1 scn 30 30 40 40 re f
		q 50 0 0 50 80 30 cm /P Do Q q 50 0 0 50 140 30 cm /T Do Q`,
		calculator("{exch dup .8 mul exch .2 mul 0}"), calculator("{exch dup .8 mul exch .2 mul 3 -1 roll 0 4 1 roll}"),
		picture("/DeviceCMYK", process), picture(ember, tints))
}

// Faults in plates, tints, pictures in inks, tags and order: each is small, and none gets
// through.
func TestChecksCatchWrongPlates(t *testing.T) {
	t.Parallel()
	s := newSpoiler(t, Input{Master: plated(), MasterName: "x.pdf", Brand: "Odd Kettle", Recipe: parse(t, `{"name":"plates","naming":"{version}_{size}_{colour}","frame":{"margin":"4%"},
	 "versions":[{"name":"colour","treatment":"as-drawn"}],
	 "files":[{"format":"pdf","colour":"cmyk","standard":"pdfx4"},{"format":"eps","colour":"cmyk"},{"format":"pdf","colour":"rgb"},{"format":"tiff","widths":[300],"ppi":300,"colour":"cmyk"},
	  {"format":"jpeg","widths":[300],"ppi":300,"colour":"cmyk"},{"format":"png","widths":[300],"ppi":300},{"format":"ico"},{"format":"webp","widths":[300]}]}`)})
	const pdf, eps, rgb = "PDF/cmyk.pdf", "colour_cmyk.eps", "PDF/rgb.pdf"
	const tif, jpg, png, ico, webp = "colour_300_cmyk.tif", "colour_300_cmyk.jpg", "colour_300_rgb.png", "colour_rgb.ico", "colour_300_rgb.webp"

	solid := func(change func(c *colour.Colour)) func(s *drawing.Shape) drawing.Node {
		return func(s *drawing.Shape) drawing.Node {
			p := s.Paint.(drawing.Solid)
			change(&p.Colour)
			s.Paint = p
			return s
		}
	}
	other := func(m colour.Mixture, change func(a []colour.Amount)) colour.Mixture {
		a := m.Amounts()
		change(a)
		n, _ := colour.NewMixture(a, func(full []bool) (k colour.CMYK) {
			for i, f := range full {
				if f {
					b := m.Full(i)
					k = colour.CMYK{C: k.C + b.C, M: k.M + b.M, Y: k.Y + b.Y, K: k.K + b.K}
				}
			}
			return k
		})
		return n
	}
	mixed := func(change func(a []colour.Amount)) func(s *drawing.Shape) drawing.Node {
		return solid(func(c *colour.Colour) {
			c.Mix = other(c.Mix, change)
			c.Build = c.Mix.Build()
		})
	}
	picture := func(i int, change func(p *drawing.Picture)) func(d *drawing.Drawing) *drawing.Drawing {
		return func(d *drawing.Drawing) *drawing.Drawing {
			k := -1
			return d.Map(func(x drawing.Node) drawing.Node {
				p, ok := x.(*drawing.Picture)
				if !ok {
					return x
				}
				if k++; k != i {
					return x
				}
				c := *p
				inks := *p.Inks
				inks.Pix = slices.Clone(inks.Pix)
				c.Inks = &inks
				change(&c)
				return &c
			})
		}
	}
	for _, path := range []string{pdf, eps, tif, jpg} {
		s.drawn("a tint taken as the full ink: "+path, path, nth(0, solid(func(c *colour.Colour) { c.Tint = 100 })))
		s.drawn("a tint four percent off: "+path, path, nth(0, solid(func(c *colour.Colour) { c.Tint += 4 })))
		s.drawn("a plate's other build: "+path, path, nth(0, solid(func(c *colour.Colour) { c.Build.M -= 12 })))
		s.drawn("two plates changed over: "+path, path, nth(1, mixed(func(a []colour.Amount) { a[0].Tint, a[1].Tint = a[1].Tint, a[0].Tint })))
		s.drawn("one plate lighter: "+path, path, nth(1, mixed(func(a []colour.Amount) { a[1].Tint -= 5 })))
		s.drawn("black left out beside a plate: "+path, path, nth(2, mixed(func(a []colour.Amount) { a[1].Tint = .01 })))
		s.drawn("a build two percent off: "+path, path, nth(3, solid(func(c *colour.Colour) { c.Build.K += 2 })))
		s.drawn("two inks changed over: "+path, path, nth(3, solid(func(c *colour.Colour) { c.Build.C, c.Build.M = c.Build.M, c.Build.C })))
		s.drawn("a screen colour instead of a build: "+path, path, nth(3, solid(func(c *colour.Colour) { c.Built = false })))
		s.drawn("what lies over is laid under: "+path, path, func(d *drawing.Drawing) *drawing.Drawing {
			c := *d
			c.Nodes = slices.Clone(d.Nodes)
			slices.Reverse(c.Nodes)
			return &c
		})
		s.drawn("the plates of a picture changed over: "+path, path, picture(0, func(p *drawing.Picture) {
			for i := 0; i < len(p.Inks.Pix); i += 4 {
				p.Inks.Pix[i], p.Inks.Pix[i+1] = p.Inks.Pix[i+1], p.Inks.Pix[i]
			}
		}))
		s.drawn("a picture separated anew: "+path, path, picture(0, func(p *drawing.Picture) { p.Inks = nil }))
		s.drawn("a picture's tints turned: "+path, path, picture(1, func(p *drawing.Picture) {
			for i, v := range p.Inks.Pix {
				p.Inks.Pix[i] = 255 - v
			}
		}))
	}
	for _, path := range []string{pdf, eps} {
		s.drawn("a tint a tenth of a percent off: "+path, path, nth(0, solid(func(c *colour.Colour) { c.Tint += .1 })))
		s.drawn("another plate: "+path, path, nth(0, solid(func(c *colour.Colour) { c.Spot = "Emberglow" })))
		s.drawn("a plate left to process inks: "+path, path, nth(0, solid(func(c *colour.Colour) { c.Build, _ = c.Press(); c.Spot, c.Tint = "", 0 })))
		s.drawn("a plate of two by another name: "+path, path, nth(1, mixed(func(a []colour.Amount) { a[1].Plate = "Moors" })))
		s.drawn("two plates left to process inks: "+path, path, nth(1, solid(func(c *colour.Colour) { c.Mix = colour.Mixture{} })))
		s.drawn("one sample a step off: "+path, path, picture(0, func(p *drawing.Picture) { p.Inks.Pix[17]++ }))
		s.drawn("one tint a step off: "+path, path, picture(1, func(p *drawing.Picture) { p.Inks.Pix[17]++ }))
		s.drawn("a picture on another plate: "+path, path, picture(1, func(p *drawing.Picture) { p.Inks.Spot.Spot = "Moor" }))
		s.drawn("a shape half a point aside: "+path, path, nth(1, moved(.7, 0)))
		s.drawn("a shape is gone: "+path, path, nth(2, gone))
	}
	s.drawn("a plate left to screen colours", rgb, nth(0, solid(func(c *colour.Colour) { c.Spot, c.Tint = "", 0 })))
	s.drawn("a plate of two left to screen colours", rgb, nth(1, solid(func(c *colour.Colour) { c.Mix = colour.Mixture{} })))

	// Text of an EPS.
	s.text("an operand of a tint", eps, "", `\n0\.4 S1`, "\n0.41 S1")
	s.text("an operand of two plates", eps, "", `\n0\.6 0\.25 D1`, "\n0.6 0.26 D1")
	s.text("operands changed over", eps, "", `\n0\.6 0\.25 D1`, "\n0.25 0.6 D1")
	s.text("a plate's build in the prolog", eps, "", `/Separation \(Ember\)/DeviceCMYK\{dup 0 mul exch dup 0\.8 `, "/Separation (Ember)/DeviceCMYK{dup 0 mul exch dup 0.7 ")
	s.text("names of plates changed over", eps, "", `\(Ember\)cvn \(Moor\)cvn`, "(Moor)cvn (Ember)cvn")
	s.text("a plate that is not told at the head", eps, "", `%%DocumentCustomColors: \(Ember\)`, "%%DocumentCustomColors: (Ombre)")
	s.text("a build at the head", eps, "", `%%CMYKCustomColor: 0 0\.8`, "%%CMYKCustomColor: 0 0.3")
	s.text("process inks that are not told", eps, "", `%%DocumentProcessColors: Cyan Magenta Yellow Black`, "%%DocumentProcessColors: Cyan Magenta Yellow")

	// Tags. An entry of a TIFF is its number, kind, count and value (TIFF 6.0, section 2).
	entry := func(tag uint16, change func(e []byte)) func(b []byte) []byte {
		return func(b []byte) []byte {
			at := binary.LittleEndian.Uint32(b[4:])
			n := int(binary.LittleEndian.Uint16(b[at:]))
			for i := range n {
				if e := b[int(at)+2+12*i:][:12]; binary.LittleEndian.Uint16(e) == tag {
					change(e)
					return b
				}
			}
			t.Fatalf("no tag %d", tag)
			return b
		}
	}
	value := func(v uint16) func(e []byte) {
		return func(e []byte) { binary.LittleEndian.PutUint16(e[8:], v) }
	}
	s.file("photometric interpretation", tif, "", entry(262, value(2)))
	s.file("bits of a sample", tif, "", entry(277, value(3)))
	s.file("unit of resolution", tif, "", entry(296, value(3)))
	s.file("a width", tif, "", entry(256, value(299)))
	s.file("a profile that is none", tif, "", entry(34675, func(e []byte) { binary.LittleEndian.PutUint16(e, 34674) }))
	s.file("how it is packed", tif, "", entry(259, value(1)))
	s.file("channels turned into luma", jpg, "", func(b []byte) []byte {
		b[bytes.Index(b, []byte("Adobe"))+11] = 2
		return b
	})
	s.file("no mark of how channels are", jpg, "", func(b []byte) []byte {
		return bytes.Replace(b, []byte("Adobe"), []byte("Edoba"), 1)
	})
	s.file("a profile of a JPEG", jpg, "profile", func(b []byte) []byte {
		b[bytes.Index(b, []byte("ICC_PROFILE"))+60]++
		return b
	})
	s.file("a byte of a scan", jpg, "", func(b []byte) []byte { b[len(b)*3/4] ^= 0x10; return b })
	s.file("a size in an icon", ico, "", func(b []byte) []byte { b[6]++; return b })
	s.file("an icon of a picture less", ico, "", func(b []byte) []byte { b[4]--; return b })
	s.file("a byte of a WebP", webp, "", func(b []byte) []byte { b[len(b)/2] ^= 1; return b })

	// Objects of a PDF, in as many bytes.
	s.text("a trim that is none", pdf, "", "/TrimBox", "/TrimBix")
	s.text("a page of another size", pdf, "", `/MediaBox ?\[0 0 \d`, "/MediaBox[0 0 9")
	s.text("a plate's name in the table", pdf, "", "/Separation/Ember", "/Separation/Embar")
	s.text("a plate's build", pdf, "", `/C1\[0 0\.8 0\.2 0\.1\]`, "/C1[0 0.8 0.3 0.1]")
	s.text("names of two plates", pdf, "", `/DeviceN\[/Ember/Moor\]`, "/DeviceN[/Moor/Ember]")
	s.text("a standard that is not kept", pdf, "", "PDF/X-4", "PDF/X-5")
	s.text("a picture a pixel less wide", pdf, "", "/Width 8", "/Width 7")
	s.text("where the table begins", pdf, "", `startxref\n\d`, "startxref\n9")
	s.file("a resolution of no unit", png, "opens", chunked("pHYs", func(b []byte) { b[8] = 0 }))
	s.file("an intent of colour", png, "", chunked("sRGB", func(b []byte) { b[0] = 9 }))
	if s.n < 100 {
		t.Errorf("%d faults, want 100", s.n)
	}
	t.Logf("%d faults", s.n)
}
