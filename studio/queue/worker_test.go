package queue

import (
	"strings"
	"testing"
)

// Workers on hosts whose long names begin alike are told apart, and their names fit the column.
func TestWorkersOfLongHosts(t *testing.T) {
	a, b := workersOf(strings.Repeat("x", 60)+"-1", 1), workersOf(strings.Repeat("x", 60)+"-2", 1)
	if a == b || len(a)+8 > 80 || workersOf("studio", 7) != "studio/7/" {
		t.Errorf("%q and %q", a, b)
	}
}
