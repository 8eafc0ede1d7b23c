package preflight

import (
	"context"
	"image"
	"math"
	"strings"
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/intake/svg"
)

func read(t *testing.T, body string) (*drawing.Drawing, finding.List) {
	t.Helper()
	d, _, err := svg.Read(context.Background(), []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">`+body+`</svg>`), svg.Options{})
	if err != nil {
		t.Fatal(err)
	}
	d, fs, err := Check(context.Background(), d)
	if err != nil {
		t.Fatal(err)
	}
	return d, fs
}

// Each finding with a drawing that has it and a near twin that has not.
func TestFindings(t *testing.T) {
	const dot = `<circle cx="50" cy="50" r="45"/>`
	for name, c := range map[string]struct {
		body string
		code finding.Code
		sev  finding.Severity
		says string
		twin string
	}{
		"stroke":       {`<circle cx="50" cy="50" r="40" stroke="red"/>`, "stroke", finding.Mended, "", `<circle cx="50" cy="50" r="40" stroke="none"/>`},
		"backing":      {`<rect width="100" height="100" fill="white"/>` + dot, "backing", finding.Warn, "white", `<rect width="100" height="100" fill="white" fill-opacity=".5"/>` + dot},
		"dark backing": {`<rect width="100" height="100" fill="#206047"/>` + dot, "backing", finding.Warn, "#206047", `<rect x="20" width="60" height="100" fill="#206047"/>` + dot},
		"outside":      {dot + `<circle cx="150" cy="50" r="9"/>`, "outside-page", finding.Mended, "", dot + `<circle cx="90" cy="50" r="9"/>`},
		"cut":          {dot + `<rect x="80" y="5" width="40" height="9"/>`, "cut-off", finding.Warn, "", dot + `<rect x="60" y="5" width="40" height="9"/>`},
		"near colours": {`<rect width="50" height="100" fill="#1b1b1b"/><rect x="50" width="50" height="100" fill="#1a1a1a"/>`, "near-colours", finding.Warn, "#1a1a1a and #1b1b1b", `<rect width="50" height="100" fill="#1b1b1b"/><rect x="50" width="50" height="100" fill="#2f2f2f"/>`},
		"gradient":     {`<linearGradient id="g"><stop stop-color="red"/><stop offset="1"/></linearGradient><rect width="100" height="100" fill="url(#g)"/>`, "gradient", finding.Note, "", `<rect width="100" height="100" fill="red"/>`},
		"translucent":  {dot + `<rect width="50" height="50" fill="red" opacity=".5"/>`, "translucent", finding.Note, "", dot + `<rect width="50" height="50" fill="red" opacity="1"/>`},
		"a mask":       {`<mask id="m"><rect width="100" height="100" fill="#fff"/></mask><g mask="url(#m)">` + dot + `</g>`, "translucent", finding.Note, "mask", `<g>` + dot + `</g>`},
		"empty room":   {`<circle cx="20" cy="20" r="15"/>`, "empty-room", finding.Note, "right 65 %", dot},
		"clear paint":  {dot + `<circle cx="20" cy="20" r="5" fill="none"/><path d="M5 5h0"/>`, "hidden", finding.Note, "", dot + `<circle cx="20" cy="20" r="5" fill="red"/>`},
		"a picture":    {dot + `<image width="20" height="20" href="data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8z8BQDwAEhQGAhKmMIQAAAABJRU5ErkJggg=="/>`, "raster-inside", finding.Warn, "1 × 1 px", dot + `<rect width="20" height="20" fill="red"/>`},
		"an effect":    {`<filter id="f"><feGaussianBlur stdDeviation="1"/></filter><circle cx="50" cy="50" r="30" filter="url(#f)"/>`, "effect", finding.Note, "", `<circle cx="50" cy="50" r="30"/>`},
		"two drawings": {`<circle cx="20" cy="50" r="15"/><rect x="65" y="35" width="30" height="30"/>`, "several-drawings", finding.Note, "2 drawings", `<circle cx="20" cy="50" r="15"/><rect x="40" y="35" width="30" height="30"/>`},
		"a dot beside": {`<circle cx="20" cy="50" r="18"/><rect x="60" y="35" width="30" height="30"/>`, "several-drawings", finding.Note, "", `<circle cx="35" cy="50" r="30"/><rect x="90" y="46" width="8" height="8"/>`},
	} {
		_, fs := read(t, c.body)
		found := false
		for _, f := range fs {
			found = found || f.Code == c.code && f.Severity == c.sev && strings.Contains(f.Message, c.says)
		}
		if !found {
			t.Errorf("%s: no %s %s in %v", name, c.sev, c.code, fs)
		}
		if _, fs := read(t, c.twin); has(fs, c.code) {
			t.Errorf("the twin of %s has %s too: %v", name, c.code, fs)
		}
	}
	if _, fs := read(t, `<path d="M2 50H98" stroke="red" stroke-width="90"/>`); len(fs) != 1 || fs[0].Code != finding.Stroke {
		t.Errorf("a straight line has %v", fs)
	}
	if _, fs := read(t, dot); len(fs) != 0 {
		t.Errorf("a clean master has %v", fs)
	}
}

// The backing is told by geometry: a large disc, a frame, or a box that does
// not hold the rest is none.
func TestWhatIsNoBacking(t *testing.T) {
	for name, body := range map[string]string{
		"disc":           `<circle cx="50" cy="50" r="50" fill="white"/><circle cx="50" cy="50" r="9"/>`,
		"alone":          `<rect width="100" height="100"/>`,
		"small box":      `<rect width="40" height="40" fill="white"/><circle cx="50" cy="50" r="30"/>`,
		"rounded":        `<rect width="100" height="100" rx="40" fill="white"/><circle cx="50" cy="50" r="9"/>`,
		"not the lowest": `<circle cx="50" cy="50" r="9"/><rect width="100" height="100" fill="white"/>`,
	} {
		d, _ := read(t, body)
		if b, ok := Backing(d); ok {
			t.Errorf("%s: %v is a backing", name, b.Path.Bounds())
		}
	}
	d, _ := read(t, `<g><rect width="100" height="100" fill="white"/></g><circle cx="50" cy="50" r="9"/>`)
	if e := Bare(d); len(e.Nodes) != 1 || len(d.Nodes) != 2 {
		t.Errorf("dropped: %d nodes left, master has %d", len(e.Nodes), len(d.Nodes))
	}
}

func TestTones(t *testing.T) {
	d, _ := read(t, `<rect width="100" height="50" fill="#b3402c"/><rect y="50" width="100" height="50" fill="#206047"/><rect width="100" height="25" fill="#f4e3b5"/><rect x="99" width="1" height="1" fill="#123456"/><rect x="99" width="1" height="1" fill="#f4e3b5"/>`)
	tones, err := Tones(context.Background(), d)
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]float64{"#206047": 0.5, "#b3402c": 0.25, "#f4e3b5": 0.25, "#123456": 0}
	for _, x := range tones {
		if w, ok := want[x.Colour.RGB.Hex()]; !ok || math.Abs(x.Share-w) > 0.01 {
			t.Errorf("%s covers %v, want %v", x.Colour.RGB.Hex(), x.Share, w)
		}
	}
	if len(tones) != 4 || tones[0].Colour.RGB.Hex() != "#206047" {
		t.Errorf("%v", tones)
	}
}

// Many pixels, counted as often as they are drawn, are told before anybody waits for them;
// those of one picture of a usual size are not.
func TestHeavyPictures(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 2000, 2000))
	for i := range img.Pix {
		img.Pix[i] = 0xff
	}
	for n, want := range map[int]bool{1: false, 12: false, 13: true} {
		d := &drawing.Drawing{Page: geom.Rect{X1: 100, Y1: 100}}
		for i := range n {
			d.Nodes = append(d.Nodes, &drawing.Picture{Image: img, To: geom.Translate(float64(7*i), 20).Mul(geom.Scale(5, 5)), Alpha: 1})
		}
		_, fs, err := Check(t.Context(), d)
		if err != nil {
			t.Fatal(err)
		}
		if got := has(fs, finding.HeavyPictures); got != want {
			t.Errorf("%d pictures of 4 megapixels: told is %v", n, got)
		}
	}
}
