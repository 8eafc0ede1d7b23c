package intake

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"dyekit/core/finding"
	"dyekit/core/parts"
)

const head = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60">`

func TestKinds(t *testing.T) {
	for data, want := range map[string]string{
		head + "</svg>": "svg", "\xef\xbb\xbf <?xml?>": "svg", "\x1f\x8b": "svg", "\xff\xfe<": "svg",
		"%PDF-1.7": "pdf", "%!PS-Adobe": "eps", "\xc5\xd0\xd3\xc6": "eps", "\x89PNG\r\n\x1a\n": "png", "\xff\xd8\xff\xe0": "jpeg",
		"GIF89a": "gif", "II*\x00": "tiff", "RIFF....WEBPVP8 ": "webp", "hello": "", "": "",
	} {
		if got, _ := KindOf([]byte(data)); got.Key != want {
			t.Errorf("%q is %q, want %q", data, got.Key, want)
		}
	}
}

func TestRefusals(t *testing.T) {
	for data, want := range map[string]string{
		"": "the file is empty", "hello": "neither a drawing (SVG, PDF, EPS) nor a picture", "%PDF-1.7": "the PDF is damaged",
		head + `<rect x="200" width="9" height="9"/></svg>`: "outside the page",
	} {
		if _, err := Read(context.Background(), []byte(data), Options{}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.20q: %v, want %q", data, err, want)
		}
	}
}

// A master that takes too long is given up with its own error; a caller that
// has left is told so.
func TestTimeIsLimited(t *testing.T) {
	long := []byte(head + strings.Repeat(`<path d="M0 0c10 10 20 20 30 0" stroke="red"/>`, 50_000) + "</svg>")
	_, err := Read(context.Background(), long, Options{Time: 20 * time.Millisecond})
	if err == nil || !strings.Contains(err.Error(), "longer than 20ms to read") {
		t.Errorf("%v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Read(ctx, long, Options{}); err != context.Canceled {
		t.Errorf("%v", err)
	}
}

func TestMendIsRecorded(t *testing.T) {
	data := []byte(head + `<rect width="90" height="60" fill="#fff"/><circle cx="40" cy="30" r="20"/></svg>`)
	for _, mends := range [][]Mend{nil, {DropBacking}} {
		m, err := Read(context.Background(), data, Options{Mends: mends})
		if err != nil {
			t.Fatal(err)
		}
		want, nodes := finding.Warn, 2
		if mends != nil {
			want, nodes = finding.Mended, 1
		}
		if len(m.Findings) != 2 && len(m.Findings) != 1 || m.Findings[0].Code != finding.Backing || m.Findings[0].Severity != want || len(m.Drawing.Nodes) != nodes {
			t.Errorf("mends %v: %v, %d nodes", mends, m.Findings, len(m.Drawing.Nodes))
		}
	}
}

// A mend marks the finding it answers; one that finds nothing to do, as after
// a new revision, is said and does no harm.
func TestMendsAreSaid(t *testing.T) {
	art := []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="100" height="50" fill="#206047"/><rect y="50" width="100" height="50" fill="#216148"/><path d="M0 20H100" stroke="#fff" stroke-width=".5"/></svg>`)
	m, err := Read(context.Background(), art, Options{Mends: []Mend{"thicken 2", "join #206047 #216148", "backing"}})
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]finding.Severity{"join #206047 #216148": finding.Mended, "thicken 2": finding.Mended, "backing": finding.Note, "open": finding.Note}
	for _, f := range m.Findings {
		if f.Mend == "" {
			continue
		}
		if want[f.Mend] != f.Severity {
			t.Errorf("%s: %s %s", f.Mend, f.Severity, f.Message)
		}
		delete(want, f.Mend)
	}
	if len(want) > 0 {
		t.Errorf("nothing is said of %v: %v", want, m.Findings)
	}
	if _, err := Read(context.Background(), art, Options{Mends: []Mend{"polish"}}); err == nil {
		t.Error("a mend that is none was taken")
	}
}

// What is seen in several places is one finding; each place is mended by itself.
func TestPlacesOfOneFinding(t *testing.T) {
	gate := func(x int) string {
		return fmt.Sprintf(`<path d="M%d 5h60v20h-40v50h40v20h-60z"/><path d="M%d 5h35v90h-35z"/>`, x+5, x+60)
	}
	art := []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 100">` + gate(0) + gate(100) + gate(200) + `</svg>`)
	read := func(mends ...Mend) (spots []finding.Spot, open, mended []finding.Finding) {
		m, err := Read(context.Background(), art, Options{Mends: mends})
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range m.Findings {
			switch {
			case f.Code == finding.Counter && f.Severity == finding.Mended:
				mended = append(mended, f)
			case f.Code == finding.Counter:
				open, spots = append(open, f), f.Spots
			}
		}
		return spots, open, mended
	}
	spots, open, mended := read()
	if len(spots) != 3 || len(open) != 1 || len(mended) != 0 || !strings.HasPrefix(open[0].Message, "3 bare places") || open[0].Mend != "" {
		t.Fatalf("three places: %+v, %+v", open, mended)
	}
	for i, s := range spots {
		if x := float64(100*i + 25); s.Near[0] < x || s.Near[0] > x+40 || s.Place.W() < 30 || s.Place.W() > 40 {
			t.Errorf("place %d: %+v", i, s)
		}
	}
	one, open, mended := read(Mend(spots[1].Mend))
	if len(one) != 2 || len(open) != 1 || len(mended) != 1 || one[0].Mend != spots[0].Mend || mended[0].Mend != spots[1].Mend {
		t.Errorf("one of them mended: %+v, %+v", open, mended)
	}
	_, open, mended = read(Mend(spots[0].Mend), Mend(spots[1].Mend))
	if len(open) != 1 || open[0].Mend != spots[2].Mend || len(mended) != 2 || !strings.HasPrefix(open[0].Message, "a bare place") {
		t.Errorf("two of them mended: %+v, %+v", open, mended)
	}
	if _, open, mended = read(Mend(spots[0].Mend), Mend(spots[1].Mend), Mend(spots[2].Mend)); len(open) != 0 || len(mended) != 3 {
		t.Errorf("all mended: %+v, %+v", open, mended)
	}
}

// A larger page is taken before the check, so that nothing is cut; names of
// pieces survive the mends that take other pieces away, and a name whose
// pieces are gone is said.
func TestPageAndNames(t *testing.T) {
	art := []byte(head + `<rect id="box" width="90" height="60" fill="#fff"/><g id="a"><circle cx="20" cy="30" r="10"/><circle cx="95" cy="30" r="10"/></g></svg>`)
	opt := Options{
		Mends: []Mend{"page 0 0 110 60", "covered", DropBacking},
		Parts: []parts.Naming{{Name: "left dot", Pieces: []string{"a#1"}}, {Name: "rest", Pieces: []string{"a#2", "a#3"}}},
	}
	m, err := Read(context.Background(), art, opt)
	if err != nil {
		t.Fatal(err)
	}
	said := map[finding.Code]finding.Severity{}
	for _, f := range m.Findings {
		said[f.Code] = f.Severity
	}
	if said["cut-off"] != finding.Mended || said["part-idle"] != finding.Warn {
		t.Errorf("found %v", m.Findings)
	}
	if ps := m.Drawing.Parts(); !slices.Equal(ps, []string{"left dot", "rest"}) && !slices.Equal(ps, []string{"box", "left dot", "rest"}) {
		t.Errorf("the parts are %q", ps)
	}
	if b := m.Drawing.Bounds(); b.X1 != 105 {
		t.Errorf("the art reaches to %v", b.X1)
	}
	if k := m.Keys; !slices.Equal(k, []string{"box#1", "a#1", "a#2"}) {
		t.Errorf("the keys are %q", k)
	}
}
