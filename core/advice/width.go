package advice

import (
	"strings"

	"dyekit/core/frame"
)

// A typed is a width that a person wrote.
type typed struct {
	px, mm float64
	paper  bool // in a unit of paper
}

// width reads a width; the zero value if there is none.
func width(s string) typed {
	px, err := frame.Length(s).Px(0)
	if s == "" || err != nil || !(px > 0) {
		return typed{}
	}
	unit := frame.Length(s).Unit()
	return typed{px: px, mm: px / 96 * 25.4, paper: unit != "px" && unit != ""}
}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
