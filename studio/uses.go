package studio

import (
	"context"
	"strconv"
	"strings"

	"dyekit/core/kit"
)

// ChangeUses makes one change of what a recipe is for: do is a verb with its
// operands as the Files station sends them, typed what stands in a field.
func (s *Studio) ChangeUses(ctx context.Context, w *Work, do, typed string) error {
	r, err := w.Base()
	if err != nil {
		return err
	}
	var known []string
	for _, v := range w.Recipe.Versions {
		known = append(known, v.Name)
	}
	verb, rest, _ := strings.Cut(do, " ")
	first, rest2, _ := strings.Cut(rest, " ")
	line, _ := strconv.Atoi(first)
	frame := w.Plan.Frame
	switch verb {
	case "size":
		err = r.AddSize(line, typed, frame.W, frame.H)
	case "resize":
		if err = r.AddSize(line, typed, frame.W, frame.H); err == nil && rest2 != typed {
			err = r.DropSize(line, rest2)
		}
	case "without":
		err = r.DropSize(line, rest2)
	case "version":
		err = r.ToggleVersion(line, rest2, known)
	case "next":
		err = r.Next(line, rest2)
	case "double":
		err = r.Double(line)
	case "drop":
		err = r.DropLine(line)
	case "use":
		err = r.AddUse(rest, known)
	default:
		err = &InputError{"use", "there is no such change"}
	}
	if err != nil {
		return &InputError{"use", err.Error()}
	}
	err = s.SetRecipe(ctx, w.Mark.ID, r, "recipe changed: "+do)
	if in, ok := err.(*InputError); ok {
		in.Field = "use"
	}
	return err
}

// LineWeights adds up what the files of each line of the recipe are and weigh;
// bytes are 0 where that is not known yet.
func (w *Work) LineWeights() map[int]LineWeight {
	ws := w.WeightsSoon()
	out := map[int]LineWeight{}
	for i, f := range w.Plan.Files {
		x := out[f.Line]
		x.Files++
		x.Bytes += ws[i].Bytes
		x.Unknown = x.Unknown || !ws[i].Known
		out[f.Line] = x
	}
	return out
}

// A LineWeight is what comes of one line of a recipe.
type LineWeight struct {
	Files, Bytes int
	Unknown      bool
}

// Says is the weight in words, empty if it is not known.
func (l LineWeight) Says() string {
	if l.Unknown {
		return ""
	}
	return kit.Weight(l.Bytes)
}
