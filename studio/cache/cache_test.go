package cache

import (
	"fmt"
	"testing"
)

// A master that weighs more than all that is kept is kept nevertheless, so that
// each picture of it does not read it again.
func TestTheHeaviestIsKept(t *testing.T) {
	c := New(100, func(n int) int { return n })
	c.Put("heavy", 1000)
	c.kept.entries.CleanUp()
	if _, ok := c.Known("heavy"); !ok {
		t.Error("it was thrown away")
	}
	for i := range 200 {
		c.Put(fmt.Sprint(i), 1)
	}
	c.kept.entries.CleanUp()
	if n := c.kept.entries.WeightedSize(); n > 100 {
		t.Errorf("it holds %d of 100", n)
	}
}
