package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"dyekit/core/intake"
	"dyekit/core/kit"
	"dyekit/core/recipe"
)

const drawingHelp = "a drawing of its own for a lockup, a lockup in a colourway, or a colourway of the main lockup: wide=wide.svg, wide/white=reverse.pdf#2 (page, artboard or view 2), /black=black.svg; may be given again"

// draw gives the recipe the drawings of their own that were named on the command line. The first
// = parts what it is for from the file.
func draw(r *recipe.Recipe, words []string) error {
	// Lockups come before their colourways, in whichever order they were given.
	for _, lockups := range []bool{true, false} {
		for _, w := range words {
			lockup, colourway, ref, err := cellOf(w)
			if err != nil {
				return err
			}
			if (colourway == "") != lockups {
				continue
			}
			if err := r.Draw(lockup, colourway, ref); err != nil {
				return fmt.Errorf("--drawing %s: %w", w, err)
			}
		}
	}
	return nil
}

// cellOf reads [LOCKUP][/COLOURWAY]=FILE[#PAGE].
func cellOf(w string) (lockup, colourway, ref string, err error) {
	cell, ref, ok := strings.Cut(w, "=")
	if !ok {
		return "", "", "", fmt.Errorf("--drawing %s: write LOCKUP=FILE, LOCKUP/COLOURWAY=FILE or /COLOURWAY=FILE", w)
	}
	lockup, colourway, _ = strings.Cut(cell, "/")
	return strings.TrimSpace(lockup), strings.TrimSpace(colourway), ref, nil
}

// fromFolder names the drawings of a recipe file, which are told from its folder, by where they
// lie.
func fromFolder(r *recipe.Recipe, file string) *recipe.Recipe {
	return r.WithDrawings(func(ref string) string {
		at, err := recipe.ParseReference(ref)
		if err != nil || filepath.IsAbs(at.File) {
			return ref
		}
		at.File = filepath.Join(filepath.Dir(file), filepath.FromSlash(at.File))
		return at.String()
	})
}

// readDrawings reads the files of the drawings of their own that a recipe names.
func readDrawings(ctx context.Context, r *recipe.Recipe) (map[string]kit.Drawn, error) {
	out := map[string]kit.Drawn{}
	for _, ref := range r.Drawings() {
		at, err := recipe.ParseReference(ref)
		if err != nil {
			return nil, err
		}
		place := r.DrawingAt(ref)
		if info, err := os.Stat(at.File); err == nil && info.IsDir() {
			return nil, fmt.Errorf("%s: %s is a folder: name one file", place, at.File)
		}
		data, name, err := readMaster(at.File)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", place, err)
		}
		if data, err = intake.Unlock(ctx, data, ""); errors.Is(err, intake.ErrLocked) {
			return nil, fmt.Errorf("%s: %s is locked: save it without a password", place, name)
		} else if err != nil {
			return nil, fmt.Errorf("%s: %s: %w", place, name, err)
		}
		out[ref] = kit.Drawn{Name: name, Data: data}
	}
	return out, nil
}

// drawingFiles are the files that a recipe's drawings lie in, and those of the command line.
func (m *making) drawingFiles() (files []string) {
	r, err := loadRecipe(m.recipe)
	if err == nil {
		err = draw(r, m.drawings)
	}
	if err != nil {
		return nil
	}
	for _, ref := range r.Drawings() {
		if at, err := recipe.ParseReference(ref); err == nil {
			files = append(files, at.File)
		}
	}
	return files
}
