// Package hostile makes masters that ask for more than they should: small
// files whose work or memory explodes, references that turn in circles,
// figures beyond all sense, and files cut or bent. What it makes is the same
// each time. Tests feed it to the readers, the engine and the server.
package hostile

import (
	"bytes"
	"compress/gzip"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math/rand/v2"
	"strings"
)

// A File is one master.
type File struct {
	Name string // with its suffix
	Data []byte
}

// svg wraps a body in a drawing of 100 × 100.
func svg(body string) []byte {
	return []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 100">` + body + `</svg>`)
}

// filtered is a plain square under a filter.
func filtered(steps string) []byte {
	return svg(`<filter id="f">` + steps + `</filter><rect width="60" height="60" x="20" y="20" fill="#a33" filter="url(#f)"/>`)
}

// Files are all of them, the named ones first and then those that a seeded
// generator makes.
func Files() []File {
	var out []File
	add := func(name string, data []byte) { out = append(out, File{name, data}) }
	vector := func(name string, data []byte) { add(name+".svg", data) }
	filters(vector)
	figures(vector)
	references(vector)
	crowds(vector)
	pictures(add)
	damaged(add)
	return out
}

func filters(add func(string, []byte)) {
	for _, r := range []string{"1e9", "1e6", "1e300", "5000 1e9"} {
		add("morphology-"+strings.ReplaceAll(r, " ", "-"), filtered(`<feMorphology radius="`+r+`" operator="dilate"/>`))
		add("blur-"+strings.ReplaceAll(r, " ", "-"), filtered(`<feGaussianBlur stdDeviation="`+r+`"/>`))
	}
	add("blur-chain", filtered(strings.Repeat(`<feGaussianBlur stdDeviation="3"/>`, 3000)))
	add("blur-chain-wide", filtered(strings.Repeat(`<feGaussianBlur stdDeviation="1.7" result="a"/><feOffset dx="1" result="b"/>`, 300)+`<feMerge>`+strings.Repeat(`<feMergeNode in="a"/>`, 500)+`</feMerge>`))
	var all strings.Builder
	for i := range 400 {
		fmt.Fprintf(&all, `<feOffset dx="%d" in="SourceGraphic" result="r%d"/>`, i, i)
	}
	all.WriteString("<feMerge>")
	for i := range 400 {
		fmt.Fprintf(&all, `<feMergeNode in="r%d"/>`, i)
	}
	add("filter-all-alive", filtered(all.String()+"</feMerge>"))
	add("turbulence-octaves", filtered(`<feTurbulence baseFrequency="0.01" numOctaves="1000000000"/>`))
	add("turbulence-frequency", filtered(`<feTurbulence baseFrequency="1e300" numOctaves="3" stitchTiles="stitch"/>`))
	add("convolve-large", filtered(`<feConvolveMatrix order="60" kernelMatrix="`+strings.Repeat("1 ", 3600)+`"/>`))
	add("convolve-huge", filtered(`<feConvolveMatrix order="1000000 1000000" kernelMatrix="1"/>`))
	add("displace-far", filtered(`<feTurbulence baseFrequency=".1" result="t"/><feDisplacementMap in="SourceGraphic" in2="t" scale="1e30" xChannelSelector="R" yChannelSelector="G"/>`))
	add("offset-far", filtered(`<feOffset dx="1e300" dy="-1e300"/>`))
	add("tile-tiny", filtered(`<feFlood x="0" y="0" width="1e-9" height="1e-9" flood-color="red"/><feTile/>`))
	add("light-cone", filtered(`<feSpecularLighting specularExponent="1e9" surfaceScale="1e30"><feSpotLight x="1e30" y="1" z="1" limitingConeAngle="1e9"/></feSpecularLighting>`))
	add("filter-region-huge", svg(`<filter id="f" x="-1e6" y="-1e6" width="2e6" height="2e6"><feGaussianBlur stdDeviation="2"/></filter><rect width="60" height="60" filter="url(#f)"/>`))
	add("filters-nested", svg(`<filter id="f"><feGaussianBlur stdDeviation="1"/></filter>`+strings.Repeat(`<g filter="url(#f)">`, 150)+`<rect width="60" height="60"/>`+strings.Repeat(`</g>`, 150)))
	add("filters-many", svg(`<filter id="f" x="-1" y="-1" width="3" height="3"><feGaussianBlur stdDeviation="9"/></filter>`+strings.Repeat(`<rect width="100" height="100" fill="#083" filter="url(#f)"/>`, 2000)))
	add("filter-image-of-itself", svg(`<filter id="f"><feImage href="#g"/></filter><g id="g"><rect id="r" width="60" height="60" filter="url(#f)"/></g>`))
}

func figures(add func(string, []byte)) {
	add("stroke-1e15", svg(`<path d="M0 0L1e15 1e15" stroke="#000" stroke-width="2" stroke-dasharray="1 1"/><rect width="9" height="9"/>`))
	add("stroke-curve-1e15", svg(`<path d="M0 0C1e15 0 0 1e15 1e15 1e15" fill="none" stroke="#000" stroke-width="1"/><rect width="9" height="9"/>`))
	add("stroke-wide", svg(`<path d="M0 0C9 40 80 0 90 90" fill="none" stroke="#000" stroke-width="1e12"/>`))
	add("dash-tiny", svg(`<path d="M0 0H100V100H0z" fill="none" stroke="#000" stroke-dasharray="1e-9 1e-9"/>`))
	add("dash-many", svg(`<path d="M0 0H100V100H0z" fill="none" stroke="#000" stroke-width=".01" stroke-dasharray=".0005"/>`))
	add("arc-huge", svg(`<path d="M0 0A1e15 1e15 0 0 1 90 90z"/>`))
	add("circle-huge", svg(`<circle r="1e15" stroke="#f00" stroke-width="1e14"/>`))
	add("not-a-number", svg(`<path d="M0 0L1e999 1e999z"/><rect width="NaN" height="inf"/><circle r="5"/>`))
	add("transform-huge", svg(`<g transform="scale(1e200)"><g transform="scale(1e200)"><path d="M0 0h1v1z"/></g></g>`))
	add("transform-flat", svg(`<g transform="matrix(1 0 0 0 0 0)"><path d="M0 0h50v50z" stroke="#000"/></g><rect width="5" height="5"/>`))
	add("page-huge", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1e12 1e-3"><path d="M0 0h1e12v1e-3z"/></svg>`))
	add("page-thin", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 100000"><path d="M0 0h1v100000z"/></svg>`))
	add("narrow-1-20", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 200"><path d="M0 0h10v200h-10z" fill="#123"/></svg>`))
	add("gradient-stops", svg(`<linearGradient id="g">`+strings.Repeat(`<stop offset=".5" stop-color="#083"/><stop offset=".5" stop-color="#803"/>`, 50_000)+`</linearGradient><rect width="90" height="90" fill="url(#g)"/>`))
	add("gradient-tiny", svg(`<linearGradient id="g" gradientUnits="userSpaceOnUse" x2="1e-12" spreadMethod="repeat"><stop stop-color="red"/><stop offset="1" stop-color="blue"/></linearGradient><rect width="90" height="90" fill="url(#g)"/>`))
	add("pattern-tiny", svg(`<pattern id="p" width="1e-5" height="1e-5" patternUnits="userSpaceOnUse"><path d="M0 0h1v1z"/></pattern><rect width="90" height="90" fill="url(#p)"/>`))
	add("pattern-fine", svg(`<pattern id="p" width=".05" height=".05" patternUnits="userSpaceOnUse"><circle r=".02" cx=".025" cy=".025"/></pattern><rect width="100" height="100" fill="url(#p)"/>`))
}

func references(add func(string, []byte)) {
	add("clip-circle", svg(`<clipPath id="a" clip-path="url(#b)"><rect width="50" height="50"/></clipPath><clipPath id="b" clip-path="url(#a)"><rect width="50" height="50"/></clipPath><rect width="90" height="90" clip-path="url(#a)"/>`))
	var clips strings.Builder
	for i := range 400 {
		fmt.Fprintf(&clips, `<clipPath id="c%d" clip-path="url(#c%d)"><circle cx="50" cy="50" r="%d"/><circle cx="40" cy="50" r="%d" clip-path="url(#c%d)"/></clipPath>`, i, i+1, 40-i%9, 30-i%7, i+1)
	}
	add("clip-chain", svg(clips.String()+`<clipPath id="c400"><rect width="80" height="80"/></clipPath><rect width="90" height="90" clip-path="url(#c0)"/>`))
	var deep strings.Builder
	for i := range 40 {
		fmt.Fprintf(&deep, `<clipPath id="c%d"><circle cx="50" cy="50" r="40" clip-path="url(#c%d)"/><circle cx="40" cy="50" r="40" clip-path="url(#c%d)"/></clipPath>`, i, i+1, i+1)
	}
	add("clip-doubling", svg(deep.String()+`<clipPath id="c40"><rect width="80" height="80"/></clipPath><rect width="90" height="90" clip-path="url(#c0)"/>`))
	for _, x := range []struct{ name, open, close string }{
		{"mask", `<mask id="m%d">`, `</mask>`},
		{"pattern", `<pattern id="m%d" width="50" height="50" patternUnits="userSpaceOnUse">`, `</pattern>`},
	} {
		var b strings.Builder
		use := `mask="url(#m%d)"`
		if x.name == "pattern" {
			use = `fill="url(#m%d)"`
		}
		for i := range 30 {
			fmt.Fprintf(&b, x.open+`<rect width="40" height="40" `+use+`/><rect x="10" width="40" height="40" `+use+`/>`+x.close, i, i+1, i+1)
		}
		add(x.name+"-doubling", svg(b.String()+fmt.Sprintf(x.open, 30)+`<rect width="9" height="9" fill="#fff"/>`+x.close+fmt.Sprintf(`<rect width="90" height="90" `+use+`/>`, 0)))
		add(x.name+"-of-itself", svg(fmt.Sprintf(x.open+`<rect width="40" height="40" `+use+`/>`+x.close+`<rect width="90" height="90" `+use+`/>`, 0, 0, 0)))
	}
	var uses strings.Builder
	uses.WriteString(`<g id="u0"><path d="M0 0h1v1z"/></g>`)
	for i := 1; i < 40; i++ {
		fmt.Fprintf(&uses, `<g id="u%d"><use href="#u%d"/><use href="#u%d" x="1"/></g>`, i, i-1, i-1)
	}
	add("use-doubling", svg(uses.String()))
	add("entities", []byte(`<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;&b;&b;"><!ENTITY d "&c;&c;&c;&c;&c;&c;&c;&c;&c;&c;"><!ENTITY e "&d;&d;&d;&d;&d;&d;&d;&d;&d;&d;"><!ENTITY f "&e;&e;&e;&e;&e;&e;&e;&e;&e;&e;"><!ENTITY g "&f;&f;&f;&f;&f;&f;&f;&f;&f;&f;">]><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><title>&g;</title><rect width="9" height="9"/></svg>`))
	add("markers", svg(`<marker id="m" markerWidth="5" markerHeight="5"><path d="`+zigzag(1000, 5)+`" stroke="#000"/></marker><path d="`+zigzag(20_000, 90)+`" marker-mid="url(#m)" fill="none"/>`))
	inner := base64.StdEncoding.EncodeToString(svg(`<rect width="9" height="9"/>`))
	for range 6 {
		inner = base64.StdEncoding.EncodeToString(svg(strings.Repeat(`<image width="50" height="50" href="data:image/svg+xml;base64,`+inner+`"/>`, 2)))
	}
	add("drawings-in-drawings", svg(`<image width="50" height="50" href="data:image/svg+xml;base64,`+inner+`"/>`))
	add("text-path", svg(`<path id="p" d="`+zigzag(5000, 90)+`"/><text font-family="Hanken Grotesk" font-size="2"><textPath href="#p">`+strings.Repeat("word ", 9000)+`</textPath></text>`))
	add("text-huge", svg(`<text font-family="Hanken Grotesk" font-size="1e9" y="50">a</text><text font-family="Hanken Grotesk" font-size="10" letter-spacing="1e300" y="50">abc</text><text font-family="Hanken Grotesk" font-size="8" y="50" textLength="1e-9">abc</text>`))
	add("text-long", svg(`<text font-family="Hanken Grotesk" font-size="1" y="50">`+strings.Repeat("many letters ", 3800)+`</text>`))
	add("styles", svg(`<style>`+strings.Repeat(`g g g g g g g g g g g g rect{fill:#123}`, 4000)+`</style>`+strings.Repeat("<g>", 150)+strings.Repeat(`<rect width="9" height="9"/>`, 2000)+strings.Repeat("</g>", 150)))
}

func zigzag(n int, size float64) string {
	r := rand.New(rand.NewPCG(1, uint64(n)))
	var b strings.Builder
	b.WriteString("M0 0")
	for range n {
		fmt.Fprintf(&b, "L%.2f %.2f", r.Float64()*size, r.Float64()*size)
	}
	return b.String()
}

func crowds(add func(string, []byte)) {
	add("crossings-fill", svg(`<path fill-rule="evenodd" d="`+zigzag(1500, 100)+`z"/>`))
	add("crossings-many", svg(`<path d="`+zigzag(20_000, 100)+`z"/>`))
	add("crossings-stroke", svg(`<path fill="none" stroke="#000" stroke-width=".3" stroke-linejoin="round" d="`+zigzag(2000, 100)+`"/>`))
	add("segments", svg(`<path d="`+zigzag(400_000, 100)+`z"/>`))
	add("segments-stroke", svg(`<path fill="none" stroke="#000" stroke-width=".1" stroke-linejoin="round" stroke-linecap="round" stroke-dasharray=".3 .2" d="`+zigzag(30_000, 100)+`"/>`))
	r := rand.New(rand.NewPCG(2, 3))
	var b, c, d strings.Builder
	for range 4000 {
		fmt.Fprintf(&b, `<circle cx="%.2f" cy="%.2f" r="%.2f" fill="#%06x" fill-opacity=".5"/>`, r.Float64()*100, r.Float64()*100, 5+r.Float64()*20, r.IntN(1<<24))
	}
	add("translucent", svg(b.String()))
	for i := range 300 {
		fmt.Fprintf(&c, `<radialGradient id="g%d"><stop stop-color="#%06x"/><stop offset="1" stop-color="#%06x" stop-opacity="0"/></radialGradient><circle cx="%.2f" cy="%.2f" r="30" fill="url(#g%d)"/>`, i, r.IntN(1<<24), r.IntN(1<<24), r.Float64()*100, r.Float64()*100, i)
	}
	add("fades", svg(c.String()))
	for range 12_000 {
		fmt.Fprintf(&d, `<path d="M%.2f %.2fl3 1-2 4z" fill="#%06x"/>`, r.Float64()*100, r.Float64()*100, r.IntN(1<<24))
	}
	add("elements", svg(d.String()))
	add("nested", svg(strings.Repeat("<g>", 100_000)+`<rect width="9" height="9"/>`+strings.Repeat("</g>", 100_000)))
	add("nested-groups", svg(strings.Repeat(`<g opacity=".99">`, 190)+`<rect width="99" height="99"/>`+strings.Repeat("</g>", 190)))
	add("nested-clips", svg(`<clipPath id="c"><circle cx="50" cy="50" r="45"/></clipPath>`+strings.Repeat(`<g clip-path="url(#c)">`, 190)+`<rect width="99" height="99"/>`+strings.Repeat("</g>", 190)))
	add("blends", svg(strings.Repeat(`<g style="mix-blend-mode:multiply"><rect width="99" height="99" fill="#fed"/></g>`, 500)))
	add("attributes", svg(`<rect width="9" height="9" `+func() string {
		var b strings.Builder
		for i := range 50_000 {
			fmt.Fprintf(&b, `data-a%d="x" `, i)
		}
		return b.String()
	}()+`/>`))
	add("numbers", svg(`<path d="M0 0`+strings.Repeat("h.001v.001", 150_000)+`z"/>`))
	add("digits", svg(`<rect width="`+strings.Repeat("9", 1_000_000)+`" height="9"/><circle r="9"/>`))
}

// flat is a PNG of one colour: a few kilobytes for any size.
func flat(w, h int) []byte {
	var b bytes.Buffer
	img := image.NewPaletted(image.Rect(0, 0, w, h), color.Palette{color.NRGBA{200, 40, 30, 255}})
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, img); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func pictures(add func(string, []byte)) {
	large := flat(6300, 6300)
	add("picture-40-mp.png", large)
	add("picture-too-large.png", flat(9000, 9000))
	add("picture-wide.png", flat(40_000_000, 1))
	uri := `href="data:image/png;base64,` + base64.StdEncoding.EncodeToString(large) + `"`
	add("picture-twenty-times.svg", svg(`<image id="i" width="9" height="9" `+uri+`/>`+strings.Repeat(`<use href="#i" x="5" y="5"/>`, 20)))
	add("picture-many.svg", svg(strings.Repeat(`<image width="9" height="9" `+uri+`/>`, 20)))
	noise := image.NewNRGBA(image.Rect(0, 0, 400, 400))
	r := rand.New(rand.NewPCG(4, 5))
	for i := range noise.Pix {
		noise.Pix[i] = byte(r.Uint32())
	}
	var b bytes.Buffer
	if err := png.Encode(&b, noise); err != nil {
		panic(err)
	}
	add("picture-noise.png", b.Bytes())
	add("picture-noise-inside.svg", svg(`<image width="90" height="90" href="data:image/png;base64,`+base64.StdEncoding.EncodeToString(b.Bytes())+`"/>`))
	add("picture-one-pixel.png", flat(1, 1))
}

func damaged(add func(string, []byte)) {
	var z bytes.Buffer
	w := gzip.NewWriter(&z)
	zero := make([]byte, 1<<20)
	for range 300 {
		w.Write(zero)
	}
	w.Close()
	add("gzip-bomb.svgz", z.Bytes())
	good := svg(`<linearGradient id="g"><stop stop-color="red"/><stop offset="1"/></linearGradient><path d="M10 10h50c20 0 30 40 0 50z" fill="url(#g)" stroke="#083" stroke-width="3"/><text y="90" font-family="Hanken Grotesk" font-size="9">Quay</text>`)
	r := rand.New(rand.NewPCG(6, 7))
	for i := range 12 {
		bent := bytes.Clone(good)
		for range 1 + i {
			switch at := r.IntN(len(bent)); r.IntN(3) {
			case 0:
				bent[at] = byte(r.Uint32())
			case 1:
				bent = append(bent[:at], bent[min(len(bent), at+r.IntN(20)):]...)
			default:
				n := r.IntN(30)
				bent = append(bent[:at:at], append(bytes.Clone(bent[max(0, at-n):at]), bent[at:]...)...)
			}
		}
		add(fmt.Sprintf("bent-%02d.svg", i), bent)
	}
	pic := flat(50, 50)
	for i := range 6 {
		bent := bytes.Clone(pic)
		bent[8+r.IntN(len(bent)-8)] ^= byte(1 + r.IntN(255))
		add(fmt.Sprintf("bent-picture-%d.png", i), bent[:len(bent)-i*5])
	}
	add("empty.svg", nil)
	add("zeros.svg", make([]byte, 100_000))
	add("utf16-cut.svg", []byte{0xff, 0xfe, '<', 0, 's'})
}
