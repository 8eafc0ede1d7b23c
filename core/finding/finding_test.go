package finding

import (
	"fmt"
	"testing"

	"dyekit/core/geom"
)

func TestAddGathers(t *testing.T) {
	var l List
	for i := range 3 * maxParts {
		l.Add("stroke", Mended, "strokes were turned into shapes", fmt.Sprint("part", i%(2*maxParts)), geom.Rect{X0: float64(i), X1: float64(i + 1), Y1: 1})
	}
	l.Add("stroke", Mended, "strokes were turned into shapes", "part0", geom.Rect{})
	l.Add("stroke", Warn, "strokes were turned into shapes", "", geom.Rect{})
	if len(l) != 2 || len(l[0].Parts) != maxParts || l[0].Parts[1] != "part1" || l[0].Place.W() != 3*maxParts {
		t.Errorf("%d findings, %d parts, on %v", len(l), len(l[0].Parts), l[0].Place)
	}
	if l.Count(Warn) != 1 || l.Count(Stop) != 0 {
		t.Errorf("counts: %d, %d", l.Count(Warn), l.Count(Stop))
	}
	if _, stop := l.Stopping(); stop {
		t.Error("nothing here stops")
	}
}
