package studio

import (
	"context"
	"strconv"
	"strings"

	"dyekit/studio/decision"
)

// ChangeUses makes one change of what a recipe is for: do is a verb with its
// operands as the Files station sends them, typed what stands in a field.
func (s *Studio) ChangeUses(ctx context.Context, w *Snapshot, do, typed string) error {
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
	switch verb {
	case "size":
		err = r.AddSize(line, typed)
	case "resize":
		if err = r.AddSize(line, typed); err == nil && rest2 != typed {
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
		err = decision.Wrong("use", "there is no such change")
	}
	if err != nil {
		return decision.Wrong("use", "%s", err)
	}
	r.TellApart()
	err = s.SetRecipe(ctx, w.Mark.ID, r, "recipe changed: "+do)
	if in, ok := err.(*InputError); ok {
		in.Field = "use"
	}
	return err
}
