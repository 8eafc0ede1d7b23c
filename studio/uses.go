package studio

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strconv"
	"strings"

	"dyekit/core/recipe"
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
		err = within(r, w.Recipe, func(r *recipe.Recipe) error { return r.ToggleVersion(line, rest2) })
	case "stroke", "unstroke":
		err = within(r, w.Recipe, func(r *recipe.Recipe) error { return stroke(r, verb == "stroke", rest) })
	case "rule":
		err = within(r, w.Recipe, func(r *recipe.Recipe) error { return r.ToggleColourway(line, rest2) })
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

// within makes a change of a recipe's lines in sight of all versions that the mark has.
func within(r, all *recipe.Recipe, change func(r *recipe.Recipe) error) error {
	versions, lockups := r.Versions, r.Lockups
	r.Versions, r.Lockups = all.Versions, all.Lockups
	err := change(r)
	r.Versions, r.Lockups = versions, lockups
	return err
}

// stroke puts versions into lines, or takes them out: LINE:VERSION, with tabs between them, which
// no name holds.
func stroke(r *recipe.Recipe, in bool, said string) error {
	which := map[int][]string{}
	for _, f := range strings.Split(said, "\t") {
		first, name, _ := strings.Cut(f, ":")
		n, err := strconv.Atoi(first)
		if err != nil {
			return errors.New("there is no such line or version")
		}
		which[n] = append(which[n], name)
	}
	for _, n := range slices.Sorted(maps.Keys(which)) {
		if err := r.Stroke(n, in, which[n]...); err != nil {
			return err
		}
	}
	return nil
}
