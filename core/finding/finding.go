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

// A Code names a kind of finding. Codes are part of the contract: scripts ask for
// them.
type Code string

const (
	FinishWeak      Code = "finish-weak"      // a finish that does not stand out on a ground
	LiveText        Code = "live-text"        // text was set and made into shapes
	MissingFont     Code = "missing-font"     // text whose font is not at hand
	Stroke          Code = "stroke"           // strokes were made into shapes
	Backing         Code = "backing"          // a rectangle or plain ground lies behind the art
	OutsidePage     Code = "outside-page"     // art lies beyond the page
	Hidden          Code = "hidden"           // something is in the file and not seen
	EmptyRoom       Code = "empty-room"       // the page is larger than the art
	RasterInside    Code = "raster-inside"    // there are pixels, sharp up to a size
	HeavyPictures   Code = "heavy-pictures"   // the pixels inside take long and much memory
	NearColours     Code = "near-colours"     // colours hardly apart
	Gradient        Code = "gradient"         // colours run into one another
	Translucent     Code = "translucent"      // paint that lets through what lies below
	Effect          Code = "effect"           // shadows, glows or blurs
	EffectDropped   Code = "effect-dropped"   // an effect is not in a version
	Hairline        Code = "hairline"         // lines that fade
	OpenPath        Code = "open-path"        // a filled outline that is not closed
	StrayPoints     Code = "stray-points"     // outlines that hold no area
	Counter         Code = "counter"          // a hole that is closed, or paint in place of one
	Covered         Code = "covered"          // pieces that lie wholly behind others
	WhitePaint      Code = "white-paint"      // white paint that stands for a hole
	SeveralDrawings Code = "several-drawings" // drawings far apart on one page
	Unsupported     Code = "unsupported"      // something that cannot be drawn right
	Unsafe          Code = "unsafe"           // scripts or references that were dropped
	CutOff          Code = "cut-off"          // art runs over the edge of the page
	EffectCut       Code = "effect-cut"       // an effect runs over the edge of the page
	CSSUnread       Code = "css-unread"       // a property that browsers draw and that is not drawn here
	Page            Code = "page"             // the page became another
	DetailLost      Code = "detail-lost"      // borders that a version in one ink melts
	PictureTraced   Code = "picture-traced"   // a picture was traced for one ink
	LettersLost     Code = "letters-lost"     // small parts that did not live through tracing
	Traced          Code = "traced"           // the master is a picture that was traced into shapes
	NearFigure      Code = "near-figure"      // a traced outline that is nearly a circle, a box or a regular polygon
	PartIdle        Code = "part-idle"        // a name for pieces that are not there
	MendIdle        Code = "mend-idle"        // a mend that finds nothing to do
	ClearSpace      Code = "clear-space"      // less room than the frame asks for
	Stripe          Code = "stripe"           // a long mark in square files
	Distorted       Code = "distorted"        // files that stretch the art, as asked for
	OddName         Code = "odd-name"         // names of files that read oddly
	TooSmall        Code = "too-small"        // files below the smallest size of a lockup
	Repaired        Code = "repaired"         // a damaged file that could be read all the same
	InkMoved        Code = "ink-moved"        // an ink's colour changed with the master
	DrawingDiffers  Code = "drawing-differs"  // a drawing of its own that disagrees with the mark
	InksMixed       Code = "inks-mixed"       // plates that could not be kept apart
	Overprint       Code = "overprint"        // paint that does not take away what it covers on a press
)

// A Finding is one thing seen in a master or in what became of it.
type Finding struct {
	Code     Code      `json:"code"`
	Severity Severity  `json:"severity"`
	Message  string    `json:"message"`
	Parts    []string  `json:"parts,omitempty"`
	Place    geom.Rect `json:"-"` // where on the page, page units; empty if everywhere
	// Mend is the repair that would put it right, or did.
	Mend string `json:"mend,omitempty"`
	// Spots are the places of what is seen in several, each with its own repair.
	Spots []Spot `json:"spots,omitempty"`
}

// A Spot is one of several places of a finding.
type Spot struct {
	Near  [2]float64 `json:"near"` // a point of it, page units
	Mend  string     `json:"mend,omitempty"`
	What  string     `json:"what,omitempty"` // what lies there, where places differ
	Place geom.Rect  `json:"-"`
}

// Take takes the spot with a repair out of a finding; ok is false if it has none.
func (f *Finding) Take(mend string) (s Spot, ok bool) {
	i := slices.IndexFunc(f.Spots, func(s Spot) bool { return s.Mend == mend })
	if i < 0 || mend == "" {
		return s, false
	}
	s = f.Spots[i]
	f.Spots = slices.Delete(slices.Clone(f.Spots), i, i+1)
	return s, true
}

// Stopped is the error of what cannot go on because of a finding.
type Stopped struct{ Finding }

func (s *Stopped) Error() string { return s.Message }

// A List gathers findings; equal code, severity and message are one finding
// with several parts. The zero List is ready to use.
type List []Finding

// maxParts bounds the parts that a finding names: nobody reads more, and a
// drawing may have tens of thousands.
const maxParts = 100

// Add puts a finding in, with the part it concerns if part is not empty.
func (l *List) Add(code Code, s Severity, message, part string, place geom.Rect) {
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

// Unseen lists the findings that tell of a master read otherwise than people may see
// it. Files are held to the drawing that was read, so no check of them sees that.
func (l List) Unseen() (out List) {
	for _, f := range l {
		switch f.Code {
		case Traced, LettersLost, PictureTraced, Repaired:
			out = append(out, f)
		case Unsupported, Unsafe, Overprint, InksMixed, EffectDropped, DetailLost:
			if f.Severity != Note {
				out = append(out, f)
			}
		}
	}
	return out
}

// Stopping returns the first finding with which one cannot go on.
func (l List) Stopping() (Finding, bool) {
	i := slices.IndexFunc(l, func(f Finding) bool { return f.Severity == Stop })
	if i < 0 {
		return Finding{}, false
	}
	return l[i], true
}
