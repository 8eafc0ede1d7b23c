package guide

import (
	"encoding/json"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/format"
)

// Reader is what the reader of a page beside its files knows: the words of its language and
// what is asked of files, which are the same for every kit, and the files: JSON.
func (v *View) Reader() ([]byte, error) {
	t := v.Speaks()
	say := map[string]string{}
	for _, k := range readerTexts() {
		say[k] = t.Say(k)
	}
	kinds := map[format.Key]map[string]any{}
	for _, f := range format.Wanted() {
		k := map[string]any{"n": f.Name}
		for name, on := range map[string]bool{"curves": f.Curves, "pixels": f.Pixels, "opaque": f.Opaque, "cmyk": f.Holds(format.CMYK)} {
			if on {
				k[name] = 1
			}
		}
		kinds[f.Key] = k
	}
	one := func(b bool) int {
		if b {
			return 1
		}
		return 0
	}
	var files [][]any
	for _, f := range v.Files {
		files = append(files, []any{f.Path, f.First(), f.Format, f.WidthPx, f.HeightPx, f.PPI, f.WidthPt, f.HeightPt, one(f.Colour == format.CMYK), one(f.Pixels), f.Bytes})
	}
	versions := v.Versions
	if v.ByShape { // then lockups are asked for by their names
		versions = v.wanted().Versions
	}
	return json.Marshal(map[string]any{
		"lang": t.Tag(), "words": asked.Words(t.Tag()), "wants": advice.Wants(), "kinds": kinds, "say": say,
		"versions": versions, "files": files, "spot": v.wanted().Spot,
	})
}

// readerTexts are the keys of what the reader says.
func readerTexts() (keys []string) {
	for _, k := range askedTexts() {
		switch {
		case len(k) > 4 && k[:4] == "has.", k == "hit.made", k == "hit.send", k == "hit.send.hint", k == "hit.not", k == "hit.lacks":
		default:
			keys = append(keys, k)
		}
	}
	for _, u := range advice.Uses() {
		keys = append(keys, "use."+u)
	}
	return append(keys, "download", "asked.none.short", "asked.online", "asked.miss")
}

// chooseTexts are the keys of what is said of choosing.
func chooseTexts() (keys []string) {
	for _, k := range []string{"", ".which", ".type", ".size", ".size.hint", ".space", ".ground", ".none", ".white", ".black", ".go", ".below", ".true"} {
		keys = append(keys, "choose"+k)
	}
	for _, k := range []string{"", ".says", ".width", ".at", ".version", ".page", ".text", ".style"} {
		keys = append(keys, "address"+k)
	}
	for _, k := range []asked.Refusal{asked.NoVersion, asked.NoType, asked.NoGround, asked.NoRoom, asked.NoSize, asked.NoInk} {
		keys = append(keys, "made.no."+string(k))
	}
	for _, k := range []string{"small", "enough", "busy", "size", "changed", "why"} {
		keys = append(keys, "made."+k)
	}
	return keys
}
