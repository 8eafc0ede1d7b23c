// Package finding is the vocabulary in which every stage says what it saw:
// a stable code, how serious it is, plain words, and the parts concerned.
package finding

import (
	"slices"

	"dyekit/core/geom"
)

// Severity says what a finding means for the work.
type Severity string

const (
	Stop   Severity = "stop"   // cannot go on
	Warn   Severity = "warn"   // a person should look
	Mended Severity = "mended" // put right automatically
	Note   Severity = "note"   // good to know
)

// A Finding is one thing seen in a master or in what became of it.
type Finding struct {
	Code     string    `json:"code"`
	Severity Severity  `json:"severity"`
	Message  string    `json:"message"`
	Parts    []string  `json:"parts,omitempty"`
	Place    geom.Rect `json:"-"` // where on the page, page units; empty if everywhere
	// Mend is the repair that would put it right, or did.
	Mend string `json:"mend,omitempty"`
}

// A List gathers findings; equal code, severity and message are one finding
// with several parts. The zero List is ready to use.
type List []Finding

// maxParts bounds the parts that a finding names: nobody reads more, and a
// drawing may have tens of thousands.
const maxParts = 100

// Add puts a finding in, with the part it concerns if part is not empty.
func (l *List) Add(code string, s Severity, message, part string, place geom.Rect) {
	for i, f := range *l {
		if f.Code == code && f.Severity == s && f.Message == message {
			if part != "" && len(f.Parts) < maxParts && !slices.Contains(f.Parts, part) {
				(*l)[i].Parts = append(f.Parts, part)
			}
			(*l)[i].Place = f.Place.Union(place)
			return
		}
	}
	f := Finding{Code: code, Severity: s, Message: message, Place: place}
	if part != "" {
		f.Parts = []string{part}
	}
	*l = append(*l, f)
}

// Count returns how many findings have the severity.
func (l List) Count(s Severity) int {
	n := 0
	for _, f := range l {
		if f.Severity == s {
			n++
		}
	}
	return n
}

// Stopping returns the first finding with which one cannot go on.
func (l List) Stopping() (Finding, bool) {
	i := slices.IndexFunc(l, func(f Finding) bool { return f.Severity == Stop })
	if i < 0 {
		return Finding{}, false
	}
	return l[i], true
}
