package studio

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dyekit/core/field"
	"dyekit/core/frame"
	"dyekit/core/intake"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
)

// A Cell is a place of a mark's set: a lockup, "" for the main one, in a colourway.
type Cell struct{ Lockup, Colourway string }

// cell finds what stands at a place of a set, or would.
func cell(r *recipe.Recipe, at Cell) (i int, of version.Spec, ok bool) {
	set := r.Set()
	row := slices.IndexFunc(set.Colourways, func(x recipe.Row) bool { return x.Name == at.Colourway })
	column := slices.IndexFunc(set.Lockups, func(x recipe.Column) bool { return x.Lockup == at.Lockup && !x.Square })
	if row < 0 {
		return -1, of, false
	}
	i = -1
	if column >= 0 {
		i = set.Cells[row][column]
	}
	return i, set.Colourways[row].Spec, true
}

// fill makes sure that there is a version at a place of the set, and returns its name.
func fill(d *Decisions, at Cell) (name string, err error) {
	r, err := d.Resolve()
	if err != nil {
		return "", err
	}
	i, of, ok := cell(r, at)
	if ok && i >= 0 {
		return r.Versions[i].Name, nil
	}
	if !ok {
		return "", decision.Wrong("cell", "there is no colourway %q", at.Colourway)
	}
	v := r.CellSpec(at.Lockup, of)
	if len(d.Added) >= maxAdded {
		return "", decision.Wrong("cell", "at most %d versions are added", maxAdded)
	}
	d.Added = append(slices.Clip(d.Added), v)
	return v.Name, nil
}

// AddCell adds the version of a lockup in a colourway.
func (s *Studio) AddCell(ctx context.Context, mark int64, at Cell) (name string, err error) {
	err = s.Decide(ctx, mark, fmt.Sprintf("version added: %s", strings.TrimSpace(at.Lockup+" "+at.Colourway)), func(d *Decisions) (err error) {
		name, err = fill(d, at)
		return err
	})
	return name, err
}

// LeaveOut leaves a version out.
func (s *Studio) LeaveOut(ctx context.Context, mark int64, name string) error {
	return s.Decide(ctx, mark, "left out: "+name, func(d *Decisions) error {
		r, err := d.Resolve()
		if err != nil {
			return err
		}
		if len(r.Versions) < 2 {
			return decision.Wrong("cell", "%s is the only version; a kit needs one", name)
		}
		if cut, _ := r.Without(name); len(cut.Files) == 0 {
			return decision.Wrong("cell", "no line of the recipe asks for anything but %s; a kit needs a file", name)
		}
		return d.LeaveOut(name)
	})
}

// Draw gives a place of the set a drawing of its own; page is of a file with several, or 0.
func (s *Studio) Draw(ctx context.Context, mark int64, at Cell, u Upload, page int) (name string, err error) {
	hash, file, err := s.keepDrawing(ctx, u)
	if err != nil {
		return "", err
	}
	err = s.Decide(ctx, mark, fmt.Sprintf("%s drawn by hand: %s", strings.TrimSpace(at.Lockup+" "+at.Colourway), file), func(d *Decisions) (err error) {
		if name, err = fill(d, at); err != nil {
			return err
		}
		d.Draw(name, recipe.Reference{File: d.Keep(file, hash), Page: page}.String())
		return nil
	})
	return name, err
}

// DrawLockup gives the mark a lockup with a drawing of its own, in all colourways of the main one,
// or another drawing to one that it has.
func (s *Studio) DrawLockup(ctx context.Context, mark int64, lockup string, u Upload, page int) error {
	lockup = strings.Join(strings.Fields(lockup), " ")
	if err := (version.Lockup{Name: lockup, Drawing: "x"}).Check(); err != nil {
		return decision.Wrong("lockup", "give the lockup a name of at most 60 letters, such as wide or symbol")
	}
	hash, file, err := s.keepDrawing(ctx, u)
	if err != nil {
		return err
	}
	return s.Decide(ctx, mark, fmt.Sprintf("lockup %s drawn by hand: %s", lockup, file), func(d *Decisions) error {
		if err := drawLockup(d, lockup, recipe.Reference{File: d.Keep(file, hash), Page: page}); err != nil {
			return err
		}
		d.Forget()
		return nil
	})
}

// drawLockup gives a lockup a drawing, and versions in all colourways of the main one.
func drawLockup(d *Decisions, lockup string, ref recipe.Reference) error {
	r, err := d.Resolve()
	if err != nil {
		return err
	}
	l := version.Lockup{Name: lockup, Drawing: ref.String()}
	if i := slices.IndexFunc(r.Lockups, func(x version.Lockup) bool { return x.Name == lockup }); i >= 0 {
		l.Smallest, l.Below, l.Standard = r.Lockups[i].Smallest, r.Lockups[i].Below, r.Lockups[i].Standard
	}
	putLockup(d, l)
	return fillLockup(d, lockup)
}

// fillLockup gives a lockup versions in all colourways of the main one.
func fillLockup(d *Decisions, lockup string) error {
	r, err := d.Resolve()
	if err != nil {
		return err
	}
	for _, row := range r.Set().Colourways {
		if r.Main(row.Spec) {
			if _, err := fill(d, Cell{lockup, row.Name}); err != nil {
				return err
			}
		}
	}
	return nil
}

// StandIn makes a lockup the one for small places: where the main one would be narrower than a
// width, such as 90px or 24mm, this one stands in for it. An empty width ends that.
func (s *Studio) StandIn(ctx context.Context, mark int64, lockup, below string) error {
	below = strings.TrimSpace(below)
	if _, err := strconv.ParseFloat(below, 64); err == nil && below != "" {
		below += "px" // as widths are meant that have no unit
	}
	said := "lockup for places below " + below + ": " + lockup
	if below == "" {
		said = "no longer for small places: " + lockup
	}
	return s.Decide(ctx, mark, said, func(d *Decisions) error {
		r, err := d.Resolve()
		if err != nil {
			return err
		}
		i := slices.IndexFunc(r.Lockups, func(l version.Lockup) bool { return l.Name == lockup })
		if i < 0 {
			return decision.Wrong("below", "there is no lockup %q", lockup)
		}
		l := r.Lockups[i]
		l.Below = frame.Length(below)
		if err := l.Check(); err != nil {
			return decision.Wrong("below", "%s", field.Message(err))
		}
		putLockup(d, l)
		return nil
	})
}

// SetDrawnRecipe chooses a recipe whose lockups and versions name drawings of their own: those that
// come with it, by the names of their files, and those that the mark keeps.
func (s *Studio) SetDrawnRecipe(ctx context.Context, mark int64, r *recipe.Recipe, us []Upload, what string) error {
	hashes := map[string]string{}
	for _, u := range us {
		hash, file, err := s.keepDrawing(ctx, u)
		if err != nil {
			return err
		}
		hashes[file] = hash
	}
	return s.Decide(ctx, mark, what, func(d *Decisions) (err error) {
		x := r.WithDrawings(func(ref string) string {
			at, bad := recipe.ParseReference(ref)
			if bad != nil {
				return ref // which the recipe's own check says
			}
			if hash, ok := hashes[fileName(at.File)]; ok {
				at.File = d.Keep(at.File, hash)
			} else if _, ok := d.Drawing(at.File); !ok && err == nil {
				err = decision.Wrong("recipe", "%s: the drawing %s was not sent with the recipe, and the mark does not keep it", r.DrawingAt(ref), at.File)
			}
			return at.String()
		})
		if err != nil {
			return err
		}
		if err := d.TakeRecipe(x); err != nil {
			return err
		}
		d.Forget()
		return nil
	})
}

// Derive makes a version from its lockup's drawing again.
func (s *Studio) Derive(ctx context.Context, mark int64, name string) error {
	return s.Decide(ctx, mark, name+" derived again", func(d *Decisions) error {
		d.Draw(name, "")
		return nil
	})
}

// DropLockup takes a lockup that was added to the mark away, with its versions.
func (s *Studio) DropLockup(ctx context.Context, mark int64, lockup string) error {
	return s.Decide(ctx, mark, "lockup taken away: "+lockup, func(d *Decisions) error {
		if !slices.ContainsFunc(d.Lockups, func(l version.Lockup) bool { return l.Name == lockup }) {
			return decision.Wrong("lockup", "the lockup %s is the recipe's own: leave its versions out", lockup)
		}
		d.Lockups = slices.DeleteFunc(slices.Clone(d.Lockups), func(l version.Lockup) bool { return l.Name == lockup })
		for _, v := range slices.Clone(d.Added) {
			if v.Lockup == lockup {
				if err := d.LeaveOut(v.Name); err != nil {
					return err
				}
			}
		}
		d.Forget()
		return nil
	})
}

// keepDrawing keeps the bytes of a drawing; whether it is one is seen when the mark is planned.
func (s *Studio) keepDrawing(ctx context.Context, u Upload) (hash, file string, err error) {
	if len(u.Data) == 0 {
		return "", "", decision.Wrong("drawing", "choose the file of the drawing")
	}
	file = fileName(u.Filename)
	if _, ok := intake.KindOf(u.Data); !ok {
		return "", "", decision.Wrong("drawing", "%s: %s", file, intake.ErrKind)
	}
	h, err := s.put(ctx, u.Data)
	return h.String(), file, err
}
