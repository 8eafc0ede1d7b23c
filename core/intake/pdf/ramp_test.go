package pdf

import (
	"testing"

	"dyekit/core/drawing"
	"dyekit/core/finding"
)

// What becomes of the plates of a gradient is said as it is: they are kept, or were more
// than can be, or the gradient is drawn as pixels.
func TestPlatesOfRamps(t *testing.T) {
	const (
		ember = "/Separation/Ember/DeviceCMYK<</FunctionType 2/Domain[0 1]/N 1/C0[0 0 0 0]/C1[0 .8 .2 0]>>"
		five  = "/DeviceN[/A/B/C/D/E]/DeviceCMYK FN"
		line  = "/ShadingType 2/Coords[0 0 200 0]"
		cone  = "/ShadingType 3/Coords[40 50 10 160 50 30]" // neither circle lies within the other
		open  = "/Extend[true true]"
	)
	for what, c := range map[string]struct {
		space, shape, c0, c1 string
		plates               int
		said                 finding.Severity
	}{
		"a tint to the full ink": {ember, line + open, ".2", "1", 1, finding.Note},
		"down to paper":          {ember, line + open, "1", "0", 1, finding.Note},
		"ends that are cut":      {ember, line, ".2", "1", 1, finding.Note},
		"one plate of five":      {five, line + open, "0 1 0 0 0", "0 .2 0 0 0", 1, finding.Note},
		"two plates of five":     {five, line + open, "0 1 0 0 0", "0 0 0 .5 0", 2, finding.Note},
		"five plates":            {five, line + open, "1 .1 .1 .1 0", "0 0 0 .5 1", 0, finding.Warn},
		"a cone":                 {ember, cone, ".2", "1", 0, finding.Warn},
	} {
		d := &doc{}
		space := c.space
		if space == five {
			fn := d.stream("/FunctionType 4/Domain[0 1 0 1 0 1 0 1 0 1]/Range[0 1 0 1 0 1 0 1]", "{pop}")
			space = space[:len(space)-2] + fn
		}
		sh := d.add("<<" + c.shape + "/ColorSpace[" + space + "]/Function<</FunctionType 2/Domain[0 1]/N 1/C0[" + c.c0 + "]/C1[" + c.c1 + "]>>>>")
		p, fs := mustRead(t, d.file("", "/Resources<</Shading<</A "+sh+">>>>", "q 20 20 160 60 re W n /A sh Q"), Options{})
		plates := 0
		p.Walk(func(n drawing.Node, _ []*drawing.Group) {
			if s, ok := n.(*drawing.Shape); ok {
				for _, k := range drawing.LaidDown(s.Paint) {
					plates = max(plates, len(k.Plates()))
				}
			}
		})
		other := map[finding.Severity]finding.Severity{finding.Note: finding.Warn, finding.Warn: finding.Note}[c.said]
		if plates != c.plates || !has(fs, finding.InksMixed, c.said) || has(fs, finding.InksMixed, other) {
			t.Errorf("%s: %d plates, want %d, and a %s: %v", what, plates, c.plates, c.said, fs)
		}
	}
}
