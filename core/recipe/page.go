package recipe

import (
	"unicode/utf8"

	"dyekit/core/field"
	"dyekit/core/format"
)

// A Page is what the client's page of a kit says and shows, as a set-up carries it to other marks;
// no file of a kit depends on it.
type Page struct {
	Greeting  string       `json:"greeting,omitempty"`
	Language  string       `json:"language,omitempty"` // a tag as in en or de
	HideUses  []string     `json:"hide_uses,omitempty"`
	HideTypes []format.Key `json:"hide_types,omitempty"`
}

// Bounds of a page: letters of its greeting, and things that it hides.
const (
	MaxGreeting = 600
	MaxHidden   = 100
)

func (p *Page) check() error {
	switch {
	case p == nil:
		return nil
	case utf8.RuneCountInString(p.Greeting) > MaxGreeting:
		return field.Errorf("greeting", "it is longer than %d letters", MaxGreeting)
	case len(p.Language) > 35: // BCP 47, section 4.4.1
		return field.Errorf("language", "%q is no tag of a language", p.Language)
	case len(p.HideUses) > MaxHidden:
		return field.Errorf("hide_uses", "more than %d are hidden", MaxHidden)
	case len(p.HideTypes) > MaxHidden:
		return field.Errorf("hide_types", "more than %d are hidden", MaxHidden)
	}
	return nil
}
