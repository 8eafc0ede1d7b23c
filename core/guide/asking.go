package guide

import (
	"strings"

	"dyekit/core/asked"
)

// An Asking is the answer to a sentence for programs: what ask --json prints, and what scripts
// get.
type Asking struct {
	Understood    []asked.Thing `json:"understood"`
	File          *string       `json:"file"` // of the kit; null if it is to be made
	Makes         *Making       `json:"makes"`
	NotUnderstood []string      `json:"not_understood"`
	Why           string        `json:"why"`
	Order         string        `json:"order,omitempty"`   // of what is to be made, as addresses carry it
	Written       string        `json:"written,omitempty"` // where it was put
	Also          []Asking      `json:"also,omitempty"`    // of a sentence that asks for several files
}

// A Making is what is made that the kit has not.
type Making struct {
	Format  string  `json:"format"`
	Version string  `json:"version"`
	Size    string  `json:"size,omitempty"`
	PPI     float64 `json:"ppi,omitempty"`
	Colour  string  `json:"colour"`
	Ground  string  `json:"ground,omitempty"`
}

// Ask answers a sentence for programs, and in words; there are no answers where nothing was understood.
func (v *View) Ask(sentence string) (w asked.Wish, rs []Reply, out []Asking) {
	w, rs = v.Replies(sentence)
	for _, r := range rs {
		a := Asking{Understood: r.Wish.Things, NotUnderstood: append([]string{}, w.Unknown...), Why: strings.TrimSpace(r.Says + " " + r.Why)}
		for _, row := range r.Rows {
			if !row.OK {
				a.Why += " " + v.Speaks().Say("hit.lacks", "asked", row.Asked, "has", row.Has)
			}
		}
		if o := r.Make; o != nil {
			a.Makes = &Making{Format: string(o.Format), Version: o.Version(), Size: o.Sizes(), PPI: o.PPI, Colour: string(o.ColourSpace()), Ground: o.Backing}
			a.Order = o.Query().Encode()
		} else {
			a.File = &r.File.Path
		}
		out = append(out, a)
	}
	return w, rs, out
}
