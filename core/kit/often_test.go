package kit

import "testing"

// Only a recipe that asks for several pictures of the whole master as it is drawn is
// worth the colours of its pixels being kept.
func TestDrawnOften(t *testing.T) {
	for recipe, want := range map[string]bool{
		`{"name":"x","versions":[{"name":"a","treatment":"as-drawn"}],"files":[{"format":"png","widths":[9,10,11,12,13,14,15,16]}]}`:                                                          true,
		`{"name":"x","versions":[{"name":"a","treatment":"as-drawn"}],"files":[{"format":"png","widths":[9]}]}`:                                                                               false,
		`{"name":"x","versions":[{"name":"a","treatment":"as-drawn"}],"files":[{"format":"svg"},{"format":"pdf"},{"format":"eps"}]}`:                                                          false,
		`{"name":"x","versions":[{"name":"b","treatment":"single-ink","ink":{"name":"B","rgb":"#000000"}}],"files":[{"format":"png","widths":[9,10,11,12,13,14,15,16]}]}`:                     false,
		`{"name":"x","versions":[{"name":"a","treatment":"as-drawn","lockup":"s"}],"lockups":[{"name":"s","parts":["symbol"]}],"files":[{"format":"png","widths":[9,10,11,12,13,14,15,16]}]}`: false,
	} {
		if got := drawnOften(parse(t, recipe)); got != want {
			t.Errorf("%s: %v", recipe, got)
		}
	}
}
