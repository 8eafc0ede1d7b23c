package recipe

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"dyekit/core/frame"
)

// A measure is a size as people say it.
type measure struct {
	kind measureKind
	n    int     // px, of Width and Height
	k    float64 // of Multiple
	text string  // as it is kept and stands in names, of the others
	ppi  float64 // said beside it; 0 if nothing was
}

type measureKind int

const (
	wide     measureKind = iota // a width in px
	high                        // a height in px
	multiple                    // of the frame
	boxed                       // a box in px, for each version
	onPaper                     // a width on paper, whose height follows from the version, or a page
)

const number = `(\d+(?:\.\d+)?|\.\d+)`

var (
	resolutionRE = regexp.MustCompile(`^(.*?)\s*(?:(?:\bat\b|@)\s*` + number + `\s*(?:ppi|dpi)?|[\s,]\s*` + number + `\s*(?:ppi|dpi))$`)
	wideRE       = regexp.MustCompile(`^(?:w\s*)?(\d+)\s*(?:px|pixels?)?(?:\s*wide)?$`)
	highRE       = regexp.MustCompile(`^(?:h\s*(\d+)\s*(?:px|pixels?)?|(\d+)\s*(?:px|pixels?)?\s*high)$`)
	timesRE      = regexp.MustCompile(`^` + number + `\s*[x×]$`)
	boxRE        = regexp.MustCompile(`^(\d+)\s*(?:px)?\s*[x×]\s*(\d+)\s*(?:px)?$`)
	pageRE       = regexp.MustCompile(`^` + number + `\s*(mm|cm|in|inch|inches|"|pt)?\s*[x×]\s*` + number + `\s*(mm|cm|in|inch|inches|"|pt)$`)
	alongRE      = regexp.MustCompile(`^` + number + `\s*(mm|cm|in|inch|inches|"|pt)(?:\s*wide)?$`)
)

// forms names forms that work, for who typed one that does not.
const forms = "write 500 for a width in px, h300 for a height, 2x for a multiple, 1080x1080 for a box in px, 120mm for a width on paper or 8x10in for a page"

// measureOf reads a size in any spacing and case: 500, 500 px, h300, 2x, 1080 × 1080,
// 120 mm, 4.5in, 8x10in, and behind each a resolution: 120mm 300dpi, 12 cm @ 300.
func measureOf(typed string) (m measure, err error) {
	s := strings.ToLower(strings.TrimSpace(typed))
	if r := resolutionRE.FindStringSubmatch(s); r != nil {
		if m.ppi, err = strconv.ParseFloat(r[2]+r[3], 64); err != nil || !(m.ppi >= 1 && m.ppi <= MaxPPI) {
			return m, fmt.Errorf("%q: a resolution is between 1 and %d pixels per inch", typed, MaxPPI)
		}
		s = strings.TrimSpace(r[1])
	}
	no := fmt.Errorf("%q is no size: %s", strings.TrimSpace(typed), forms)
	whole := func(s string) int {
		n, err := strconv.Atoi(s)
		if err != nil { // too long for a number: the check of the line says what the most is
			return math.MaxInt32
		}
		return n
	}
	switch {
	case wideRE.MatchString(s):
		m.kind, m.n = wide, whole(wideRE.FindStringSubmatch(s)[1])
	case highRE.MatchString(s):
		r := highRE.FindStringSubmatch(s)
		m.kind, m.n = high, whole(r[1]+r[2])
	case timesRE.MatchString(s):
		m.kind = multiple
		if m.k, err = strconv.ParseFloat(timesRE.FindStringSubmatch(s)[1], 64); err != nil {
			return m, no
		}
	case boxRE.MatchString(s):
		r := boxRE.FindStringSubmatch(s)
		m.kind, m.text = boxed, r[1]+"x"+r[2]
	case pageRE.MatchString(s):
		r := pageRE.FindStringSubmatch(s)
		if r[2] == "" || unit(r[2]) == unit(r[4]) {
			m.text = r[1] + "x" + r[3] + unit(r[4])
		} else {
			m.text = r[1] + unit(r[2]) + "x" + r[3] + unit(r[4])
		}
		m.kind = onPaper
		if _, _, err := frame.Size(m.text); err != nil {
			return m, err
		}
	case alongRE.MatchString(s):
		r := alongRE.FindStringSubmatch(s)
		m.kind, m.text = onPaper, r[1]+unit(r[2])
		if _, err := paperWidth(m.text); err != nil {
			return m, err
		}
	default:
		return m, no
	}
	return m, nil
}

// unit writes a unit as it is kept.
func unit(u string) string {
	if u == "inch" || u == "inches" || u == `"` {
		return "in"
	}
	return u
}

// paperWidth reads a width on paper alone, in page units.
func paperWidth(s string) (float64, error) {
	if !alongRE.MatchString(s) {
		return 0, fmt.Errorf("%q is no width on paper: write it like 120mm or 4.5in", s)
	}
	v, err := frame.Length(s).Px(0)
	if err != nil || !(v > 0 && v <= frame.MaxSide) {
		return 0, fmt.Errorf("%q is not a width between 0 and %d px", s, frame.MaxSide)
	}
	return v, nil
}

// paper reads what Entry.Size holds, in page units; h is 0 where it follows from the
// version.
func paper(s string) (w, h float64, err error) {
	if w, err := paperWidth(s); err == nil {
		return w, 0, nil
	}
	return frame.Size(s)
}

// inside reads what Entry.Box holds, in px.
func inside(s string) (w, h int, err error) {
	r := boxRE.FindStringSubmatch(strings.ToLower(s))
	if r == nil {
		return 0, 0, fmt.Errorf("%q is no box in px: write it like 1080x1080", s)
	}
	w, err = strconv.Atoi(r[1])
	if err == nil {
		h, err = strconv.Atoi(r[2])
	}
	if err != nil || w < 1 || h < 1 || w > MaxSide || h > MaxSide {
		return 0, 0, fmt.Errorf("%q: a side is not between 1 and %d px", s, MaxSide)
	}
	return w, h, nil
}
