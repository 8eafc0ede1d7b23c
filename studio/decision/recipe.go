package decision

import (
	"encoding/json"

	"dyekit/core/recipe"
)

// Base is the recipe before what was decided about this mark: one of its own
// or a built-in one.
func (d Decisions) Base() (*recipe.Recipe, error) {
	if d.Own != nil {
		b, err := json.Marshal(d.Own)
		if err != nil {
			return nil, err
		}
		var r recipe.Recipe
		return &r, json.Unmarshal(b, &r) // a copy, as it will be changed
	}
	name := d.Recipe
	if name == "" {
		name = "standard"
	}
	r, ok := recipe.Builtin(name)
	if !ok {
		return nil, Wrong("recipe", "there is no recipe called %q", name)
	}
	return r, nil
}

// TakeRecipe makes a recipe the mark's; a built-in one unchanged is that one.
func (d *Decisions) TakeRecipe(r *recipe.Recipe) error {
	if r.Page != nil { // which is no part of what files are made from
		c := *r
		d.Page, c.Page = r.Page, nil
		r = &c
	}
	d.Recipe, d.Own = "", r
	if _, err := d.Resolve(); err != nil {
		return err
	}
	if b, ok := recipe.Builtin(r.Name); ok { // the built-in one unchanged is that one
		x, err := json.Marshal(r)
		y, err2 := json.Marshal(b)
		if err == nil && err2 == nil && string(x) == string(y) {
			d.Recipe, d.Own = r.Name, nil
		}
	}
	return nil
}
