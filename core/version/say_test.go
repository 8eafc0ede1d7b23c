package version

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
)

// medallion is a band on a disc: the smaller colour would melt with the larger.
const medallion = `<circle cx="50" cy="50" r="45" fill="#1f4e9c"/><circle cx="50" cy="50" r="20" fill="#e8c52c"/>`

func TestTheReadingIsToldInWords(t *testing.T) {
	v := one(t, medallion, black)
	if got, want := v.Words(), "blue is ink because it stands out from yellow, which is paper; yellow is paper because it lies inside blue and would melt with it"; got != want {
		t.Errorf("%s\nwant\n%s", got, want)
	}
	v = one(t, `<rect width="100" height="100" fill="#fff"/>`+medallion+`<circle cx="50" cy="50" r="5" fill="#fff"/><rect x="10" y="46" width="6" height="6" fill="#3a6cbe"/>`, black)
	for _, want := range []string{"white backing is left out", "white is paper", "blue #3a6cbe is ", "blue #1f4e9c is ink"} {
		if !strings.Contains(v.Words(), want) {
			t.Errorf("%q is not in %s", want, v.Words())
		}
	}
	if v = one(t, medallion, Spec{Name: "colour", Treatment: AsDrawn}); v.Words() != "" {
		t.Errorf("a version as drawn is told as %s", v.Words())
	}
}

func TestManyColoursAreToldInShort(t *testing.T) {
	var b strings.Builder
	const n = maxWords + 2
	for i := range n {
		fmt.Fprintf(&b, `<rect x="%d" width="3" height="3" fill="rgb(%d,%d,0)"/>`, 6*i, 15*i, 200-14*i)
	}
	v := one(t, b.String(), black)
	if len(v.Readings) != n || !strings.HasSuffix(v.Words(), "; and 2 colours more") {
		t.Errorf("%d colours are told as %s", len(v.Readings), v.Words())
	}
}

// The summary is what scripts read: figures of a drawing known by hand.
func TestSummary(t *testing.T) {
	s := one(t, medallion, black).Summary()
	b, err := json.Marshal(s)
	if err != nil {
		t.Fatal(err)
	}
	if s.Curves == nil || s.Curves.Master != 8 || s.Curves.Version != 8 || s.Lost == nil || *s.Lost != 0 || len(s.Places) != 0 {
		t.Errorf("two circles, one a hole in the other: %s", b)
	}
	// The area of the yellow is (20/45)² of all that is painted.
	if len(s.Colours) != 2 || s.Colours[1].Colour != "#e8c52c" || s.Colours[1].Share != 0.1975 || s.Colours[1].As != AsPaper {
		t.Errorf("the colours are %s", b)
	}
	melted := black
	melted.Overrides = []Override{{Colour: "#e8c52c", As: AsInk}}
	s = one(t, medallion, melted).Summary()
	if !s.Colours[1].Person || *s.Lost < 0.1 || len(s.Places) != 1 || s.Places[0].Between != [2]string{"#e8c52c", "#1f4e9c"} && s.Places[0].Between != [2]string{"#1f4e9c", "#e8c52c"} {
		t.Errorf("all ink: %+v", s)
	}
	if b := s.Places[0].Box; b[0] != 30 || b[1] != 30 || b[2] != 40 || b[3] != 40 {
		t.Errorf("the place that melts is %v", b)
	}
	// What cannot be made still tells its reading, or nobody could mend it.
	none := black
	none.Overrides = []Override{{Colour: "#e8c52c", As: AsPaper}, {Colour: "#1f4e9c", As: AsPaper}}
	if s = one(t, medallion, none).Summary(); s.Refused == "" || len(s.Colours) != 2 || s.Lost != nil {
		t.Errorf("nothing ink: %+v", s)
	}
}

// What is left out is still seen by who points at it.
func TestRegionsOfWhatIsLeftOut(t *testing.T) {
	v := one(t, `<rect width="100" height="100" fill="#fff"/>`+medallion, black)
	i := slices.IndexFunc(v.Readings, func(r Reading) bool { return r.As == AsOmit })
	if i < 0 {
		t.Fatalf("no backing was left out: %s", v.Words())
	}
	// The page less the disc, which four cubics make 0.03 % too large.
	if a := v.Readings[i].Region().Area(); a < 10000-6364 || a > 10000-6361 {
		t.Errorf("the backing is seen on %v square units", a)
	}
}

func TestSay(t *testing.T) {
	var os []Override
	os = Say(os, Override{Colour: "#1f4e9c", As: AsPaper})
	os = Say(os, Override{Part: "Band", As: AsInk})
	os = Say(os, Override{Colour: "#204f9c", As: AsTint, Tint: 30}) // as good as the same
	if len(os) != 2 || os[1].As != AsTint {
		t.Errorf("%+v", os)
	}
	if os = Say(os, Override{Part: "band"}); len(os) != 1 || os[0].Part != "" {
		t.Errorf("after the part was taken back: %+v", os)
	}
	if os = Say(os, Override{Colour: "#1f4e9c"}); len(os) != 0 {
		t.Errorf("after all was taken back: %+v", os)
	}
}

// Readings made at once from one Art are the same as one after the other.
func TestArtServesManyAtOnce(t *testing.T) {
	a := NewArt(read(t, medallion))
	want, err := a.Make(context.Background(), black)
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan string)
	for range 8 {
		go func() {
			v, err := a.Make(context.Background(), black)
			if err != nil {
				done <- err.Error()
				return
			}
			done <- v.Words()
		}()
	}
	for range 8 {
		if w := <-done; w != want.Words() {
			t.Errorf("%s", w)
		}
	}
}
