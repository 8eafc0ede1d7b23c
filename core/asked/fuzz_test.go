package asked

import (
	"net/url"
	"reflect"
	"testing"
	"unicode/utf8"
)

// Whatever is typed is read within its bounds, and what is made of it comes back from an address.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"white logo as a vector for the printer, 80 mm wide", "1.080 x 1.080 px", "kein JPG, höchstens 2,5 MB", ".ai .png", "\xff\xfe", "مرحبا 12 cm"} {
		f.Add(s)
	}
	k := teahouse()
	k.May = All
	f.Fuzz(func(t *testing.T, s string) {
		w := Read("de", s, Rule{Said: s, Means: "png"}, Rule{Said: "x", Means: s})
		if len(w.Things) > MaxThings+4 || len(w.Unknown) > MaxThings {
			t.Errorf("%d things, %d unknown", len(w.Things), len(w.Unknown))
		}
		each := w.Each()
		if len(each) > MaxEach {
			t.Errorf("%d files", len(each))
		}
		for _, one := range each {
			a, ok := k.Answer(one)
			if !ok || a.Make == nil {
				continue
			}
			back, err := ParseOrder(a.Make.Query())
			if err != nil || !reflect.DeepEqual(back, *a.Make) {
				t.Errorf("%+v comes back as %+v: %v", *a.Make, back, err)
			}
			if no := k.Refuses(back); no != "" {
				t.Errorf("%+v is offered and refused: %s", back, no)
			}
		}
	})
}

// Whatever an address says is an order or an error, and what is allowed has a size.
func FuzzParseOrder(f *testing.F) {
	f.Add("version=white&type=png&size=640&ppi=72&ground=%23fff")
	f.Add("version=colour&type=pdf&size=80x30mm&colour=cmyk&sized=1")
	k := teahouse()
	k.May = All
	f.Fuzz(func(t *testing.T, s string) {
		q, err := url.ParseQuery(s)
		if err != nil || !utf8.ValidString(s) {
			return
		}
		o, err := ParseOrder(q)
		if err != nil {
			return
		}
		if k.Refuses(o) != "" {
			return
		}
		x := o.File(k.Versions[0])
		if kind := o.Kind(); kind.Pixels && (x.WidthPx < leastMade || x.HeightPx < leastMade || x.WidthPx*x.HeightPx > mostPixels) {
			t.Errorf("%s: %d × %d px are allowed", s, x.WidthPx, x.HeightPx)
		}
		if o.Stretch != "" {
			t.Errorf("%s stretches the mark", s)
		}
	})
}
