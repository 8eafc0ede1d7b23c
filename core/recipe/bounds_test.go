package recipe

import (
	"fmt"
	"strings"
	"testing"
)

// Every figure of a recipe is taken at both ends of what it may be, and refused just
// beyond, with its place.
func TestFiguresAreBounded(t *testing.T) {
	long := func(n int) string { return `"` + strings.Repeat("x", n) + `"` }
	for _, c := range []struct {
		place, recipe string // %s stands for the figure
		fine, wrong   []string
	}{
		{"widths", filed(`{"format":"png","widths":[%s]}`), []string{"1", "30000"}, []string{"0", "-1", "30001"}},
		{"heights", filed(`{"format":"png","heights":[%s]}`), []string{"1", "30000"}, []string{"0", "-1", "30001"}},
		{"scales", filed(`{"format":"png","scales":[%s]}`), []string{"0.001", "100"}, []string{"0", "-1", "100.001"}},
		{"ppi", filed(`{"format":"png","widths":[9],"ppi":%s}`), []string{"1", "2400"}, []string{"0", "0.5", "-1", "2400.5"}},
		{"quality", filed(`{"format":"jpeg","widths":[9],"backing":"#ffffff","quality":%s}`), []string{"1", "100"}, []string{"0", "-1", "101"}},
		{"effects_ppi", filed(`{"format":"pdf","effects":"picture","effects_ppi":%s}`), []string{"36", "2400"}, []string{"35.9", "-1", "2401"}},
		{"palette", filed(`{"format":"png","widths":[9],"palette":%s}`), []string{"2", "256", `"auto"`, `"never"`}, []string{"1", "257", `"some"`}},
		{"opacity", versioned(`"opacity":%s`), []string{"0.01", "1"}, []string{"0", "-0.01", "1.01"}},
		{"tint", versioned(`"treatment":"single-ink","ink":{"name":"Sea","rgb":"#1a5f7a","tint":%s}`), []string{"0", "1", "100"}, []string{"-1", "100.5"}},
		{"cmyk", versioned(`"treatment":"single-ink","ink":{"name":"Sea","rgb":"#1a5f7a","cmyk":[0,100,%s,3]}`), []string{"0", "100"}, []string{"-0.5", "100.5"}},
		{"spot", versioned(`"treatment":"single-ink","ink":{"name":"Sea","rgb":"#1a5f7a","cmyk":[90,40,30,20],"spot":%s}`), []string{long(1), long(60)}, []string{long(61)}},
		{"greeting", paged(`"greeting":%s`), []string{long(1), long(MaxGreeting)}, []string{long(MaxGreeting + 1)}},
		{"language", paged(`"language":%s`), []string{`"de"`, long(35)}, []string{long(36)}},
		{"hide_uses", paged(`"hide_uses":[%s]`), []string{`"film"`, strings.Repeat(`"a",`, MaxHidden-1) + `"a"`}, []string{strings.Repeat(`"a",`, MaxHidden) + `"a"`}},
		{"hide_types", paged(`"hide_types":[%s]`), []string{`"svg"`}, []string{strings.Repeat(`"svg",`, MaxHidden) + `"svg"`}},
		{"below", lockedUp(`"below":"%spx"`), []string{"0", "1", "90.5"}, []string{"-1", "wide"}},
		{"scale", lockedUp(`"placed":"at","at":[{"x":0,"y":0,"scale":%s}]`), []string{"0", "0.02", "50"}, []string{"0.019", "-1", "50.1"}},
		{"at[0]", lockedUp(`"placed":"at","at":[{"x":%s,"y":1}]`), []string{"-50", "0", "50"}, []string{"-50.1", "50.1"}},
		{"use", filed(`{"format":"svg","use":%s}`), []string{long(60)}, []string{long(61)}},
	} {
		for _, v := range c.fine {
			if _, err := Parse([]byte(fmt.Sprintf(c.recipe, v))); err != nil {
				t.Errorf("%s %s is refused: %v", c.place, v, err)
			}
		}
		for _, v := range c.wrong {
			if _, err := Parse([]byte(fmt.Sprintf(c.recipe, v))); err == nil || !strings.Contains(err.Error(), c.place) {
				t.Errorf("%s %s: %v", c.place, v, err)
			}
		}
	}
	// A type of pixels takes a size, one of curves takes none.
	for recipe, says := range map[string]string{
		filed(`{"format":"png"}`): "needs a size", filed(`{"format":"svg","widths":[9]}`): "has no pixel size", filed(`{"format":"pdf","scales":[2]}`): "has no pixel size",
	} {
		if _, err := Parse([]byte(recipe)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", recipe, err)
		}
	}
	if _, err := Parse([]byte(`{"name":"x","versions":[],"files":[{"format":"svg"}]}`)); err == nil || !strings.Contains(err.Error(), "versions: there is none") {
		t.Errorf("a recipe without versions: %v", err)
	}
	if _, err := Parse([]byte(filed(`{"format":"ico"}`))); err != nil {
		t.Errorf("an icon without a size: %v", err)
	}
}

// filed is a recipe with one line of files, versioned one with a version that says more.
func filed(line string) string {
	return `{"name":"x","versions":[{"name":"colour","treatment":"as-drawn"}],"files":[` + line + `]}`
}

// paged is a recipe with words of a page, lockedUp one with a lockup of two parts.
func paged(more string) string {
	return strings.TrimSuffix(filed(`{"format":"svg"}`), "}") + `,"page":{` + more + `}}`
}

func lockedUp(more string) string {
	return strings.TrimSuffix(filed(`{"format":"svg"}`), "}") + `,"lockups":[{"name":"wide","parts":["symbol","wordmark"],` + more + `}]}`
}

func versioned(more string) string {
	if !strings.Contains(more, "treatment") {
		more = `"treatment":"as-drawn",` + more
	}
	return `{"name":"x","versions":[{"name":"v",` + more + `}],"files":[{"format":"svg"}]}`
}
