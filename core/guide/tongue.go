package guide

import (
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"math"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"

	"dyekit/core/advice"
	"dyekit/core/format"
)

//go:embed texts/*.json
var texts embed.FS

// first is the language that the others are held against.
var first = language.English

// said is every text in every language, by its key, read when it is first asked for.
var said = sync.OnceValue(readTexts)

func readTexts() *catalog.Builder {
	b := catalog.NewBuilder(catalog.Fallback(first))
	names, err := fs.Glob(texts, "texts/*.json")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	for _, n := range names {
		tag := language.MustParse(strings.TrimSuffix(path.Base(n), ".json"))
		for key, text := range textsOf(n) {
			if err := b.SetString(tag, key, strings.ReplaceAll(text, "%", "%%")); err != nil {
				panic(err)
			}
		}
	}
	return b
}

func textsOf(name string) map[string]string {
	data, err := texts.ReadFile(name)
	if err != nil {
		panic(err)
	}
	m := map[string]string{}
	if err := json.Unmarshal(data, &m); err != nil {
		panic(fmt.Sprintf("%s: %v", name, err))
	}
	return m
}

// A Tongue says things in one language.
type Tongue struct {
	tag     language.Tag
	printer *message.Printer
}

// In is the language that suits best what is asked for: tags as in a header
// Accept-Language (RFC 9110, section 12.5.4), the first that is known; English
// otherwise.
func In(asked ...string) *Tongue {
	var tags []language.Tag
	for _, a := range asked {
		ts, _, err := language.ParseAcceptLanguage(a)
		if err == nil {
			tags = append(tags, ts...)
		}
	}
	// English goes first, so that it answers what nothing suits.
	known := said().Languages()
	for i, t := range known {
		if t == first {
			known[0], known[i] = known[i], known[0]
		}
	}
	_, i, _ := language.NewMatcher(known).Match(tags...)
	return &Tongue{known[i], message.NewPrinter(known[i], message.Catalog(said()))}
}

// Tongues lists the languages there are, by tag.
func Tongues() (tags []string) {
	for _, t := range said().Languages() {
		tags = append(tags, t.String())
	}
	return tags
}

// Speaks reports whether there is a language for a tag: de for de-AT.
func Speaks(tag string) bool {
	t, err := language.Parse(tag)
	if err != nil {
		return false
	}
	base, _ := t.Base()
	return slices.ContainsFunc(said().Languages(), func(l language.Tag) bool { b, _ := l.Base(); return b == base })
}

// Tag names the language: en, de.
func (t *Tongue) Tag() string { return t.tag.String() }

// Say says the text of a key; args are names and what stands for them, as in
// "{weight}".
func (t *Tongue) Say(key string, args ...any) string {
	s := t.printer.Sprintf(key)
	for i := 0; i+1 < len(args); i += 2 {
		s = strings.ReplaceAll(s, "{"+fmt.Sprint(args[i])+"}", t.printer.Sprint(args[i+1]))
	}
	return s
}

// Number says a number as people of the language write it, to a tenth.
func (t *Tongue) Number(v float64) string {
	if v == math.Round(v) {
		return t.printer.Sprintf("%.0f", v)
	}
	return t.printer.Sprintf("%.1f", v)
}

// Weight says bytes in kB or MB, powers of ten.
func (t *Tongue) Weight(n int) string {
	switch {
	case n < 1000:
		return t.printer.Sprintf("%d B", n)
	case n < 100_000:
		return t.printer.Sprintf("%.1f kB", float64(n)/1000)
	case n < 1_000_000:
		return t.printer.Sprintf("%.0f kB", float64(n)/1000)
	}
	return t.printer.Sprintf("%.1f MB", float64(n)/1e6)
}

// Day says a day, in universal time: 27 November 2026.
func (t *Tongue) Day(d time.Time) string {
	d = d.UTC()
	return t.Say("day", "day", fmt.Sprint(d.Day()), "month", t.Say(fmt.Sprintf("month.%d", d.Month())), "year", fmt.Sprint(d.Year()))
}

// mmPerPt: an inch is 25.4 mm and 72 pt.
const mmPerPt = 25.4 / 72

// Measure says how large a file is, in px and on paper.
func (t *Tongue) Measure(f File) string {
	k := f.Kind()
	var parts []string
	if k.Name != "" {
		parts = append(parts, k.Name)
	}
	switch {
	case f.WidthPx > 0:
		parts = append(parts, t.printer.Sprintf("%v × %v px", fmt.Sprint(f.WidthPx), fmt.Sprint(f.HeightPx)))
		if f.PPI > 0 {
			parts = append(parts, t.Say("file.paper", "w", t.printer.Sprintf("%.0f", f.WidthPt*mmPerPt), "h", t.printer.Sprintf("%.0f", f.HeightPt*mmPerPt), "ppi", t.printer.Sprintf("%.0f", f.PPI)))
		}
	case k.Curves && f.Pixels:
		parts = append(parts, t.Say("file.pixels"))
	case k.Curves:
		parts = append(parts, t.Say("file.curves"))
	}
	if f.Colour == format.CMYK {
		parts = append(parts, t.Say("file.inks"))
	}
	return strings.Join(append(parts, t.Weight(f.Bytes)), " · ")
}

// Why says why a file is recommended.
func (t *Tongue) Why(k advice.Pick) string {
	f := k.File
	mm := f.WidthPt * mmPerPt
	if !(f.PPI >= 200) { // what is made for screens prints sharp at 150 ppi (common practice)
		mm = float64(f.WidthPx) / 150 * 25.4
	}
	return t.Say(k.Why, "weight", t.Weight(f.Bytes), "px", fmt.Sprint(f.WidthPx), "mm", t.printer.Sprintf("%.0f", mm), "ppi", t.printer.Sprintf("%.0f", f.PPI))
}
