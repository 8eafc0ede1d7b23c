package studio

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"dyekit/core/intake"
	"dyekit/core/kin"
	"dyekit/core/preflight"
	"dyekit/core/recipe"
	"dyekit/core/version"
	"dyekit/studio/decision"
	"dyekit/studio/preview"
)

// What a loose drawing may be, beside a colourway.
const (
	AsLockup = "lockup" // the drawing of its lockup
	AsMain   = "main"   // the page of the master's file that is the main drawing
	AsLeft   = "leave"  // nothing
)

// A Drawer is a loose drawing with what it is proposed to be, and by which it is had again.
type Drawer struct {
	preview.Sorted
	Token string // of its file; "" for the master's own
	As    string // AsLockup, AsMain, AsLeft or a colourway
}

// maxZipped bounds what is taken out of one zip, in bytes.
const maxZipped = 200 << 20

// Unzip replaces zips by the drawings in them, and names what is none. Files that are no zip are
// left as they are.
func Unzip(us []Upload) (out []Upload, not []string, err error) {
	for _, u := range us {
		if !bytes.HasPrefix(u.Data, zipped) {
			out = append(out, u)
			continue
		}
		in, no, err := unzip([]Upload{u})
		if err != nil {
			return nil, nil, err
		}
		if len(in) > preview.MaxSorted {
			return nil, nil, decision.Wrong("sort", "%s holds more than %d drawings; bring fewer at once", fileName(u.Filename), preview.MaxSorted)
		}
		if len(in) == 0 { // some drawing programs save zips of their own
			in, no = []Upload{u}, nil
		}
		out, not = append(out, in...), append(not, no...)
	}
	return out, not, nil
}

// zipped begins a zip (APPNOTE.TXT, section 4.3.7).
var zipped = []byte("PK\x03\x04")

// ErrDesigns says that several files are designs to choose from, and not one mark.
var ErrDesigns = errors.New("these are several designs")

// TakeTogether makes a mark of the one of several files that is most likely the mark itself, and
// returns the others, to be sorted. Unless somebody is sure that they are one mark, most of them
// must show shapes of it: otherwise it is ErrDesigns, and nothing is made.
func (s *Studio) TakeTogether(ctx context.Context, t Taking, us []Upload, sure bool) (m *Mark, rest []Upload, err error) {
	var names []string
	var files [][]byte
	for _, u := range us {
		names, files = append(names, u.Filename), append(files, u.Data)
	}
	main, akin, others, err := s.table.Together(ctx, names, files)
	switch {
	case err != nil:
		return nil, nil, err
	case main < 0 && sure:
		main = 0 // which says why it cannot be read
	case main < 0 || !sure && 2*akin <= others || others == 0 && !sure:
		return nil, nil, ErrDesigns
	}
	t.Filename, t.Data = us[main].Filename, us[main].Data
	if m, err = s.TakeIn(ctx, t); err != nil {
		return nil, nil, err
	}
	return m, slices.Delete(slices.Clone(us), main, main+1), nil
}

// unzip replaces zips by the drawings in them, and names what is none.
func unzip(us []Upload) (out []Upload, not []string, err error) {
	total := 0
	add := func(u Upload) {
		if _, ok := intake.KindOf(u.Data); ok && len(u.Data) > 0 {
			out = append(out, u)
		} else {
			not = append(not, fileName(u.Filename))
		}
	}
	for _, u := range us {
		if !bytes.HasPrefix(u.Data, zipped) {
			add(u)
			continue
		}
		z, err := zip.NewReader(bytes.NewReader(u.Data), int64(len(u.Data)))
		if err != nil {
			return nil, nil, decision.Wrong("sort", "%s cannot be opened: %s", fileName(u.Filename), err)
		}
		for _, f := range z.File {
			base := path.Base(f.Name)
			if f.FileInfo().IsDir() || strings.HasPrefix(base, ".") || strings.HasPrefix(f.Name, "__MACOSX/") {
				continue
			}
			r, err := f.Open()
			if err != nil {
				return nil, nil, decision.Wrong("sort", "%s in %s cannot be opened: %s", base, fileName(u.Filename), err)
			}
			b, err := io.ReadAll(io.LimitReader(r, int64(maxZipped-total)+1))
			r.Close()
			if err != nil {
				return nil, nil, decision.Wrong("sort", "%s in %s cannot be read: %s", base, fileName(u.Filename), err)
			}
			if total += len(b); total > maxZipped {
				return nil, nil, decision.Wrong("sort", "%s holds more than %d MB", fileName(u.Filename), maxZipped>>20)
			}
			add(Upload{Filename: base, Data: b})
		}
	}
	return out, not, nil
}

// OfferLoose keeps drawings for a while that are to be sorted, those in zips one by one, and returns
// the tokens to ask for them. not are files that are no drawings.
func (s *Studio) OfferLoose(ctx context.Context, us []Upload) (tokens, not []string, err error) {
	us, not, err = unzip(us)
	if err != nil {
		return nil, not, err
	}
	if len(us) > preview.MaxSorted {
		return nil, not, errManySorted
	}
	for _, u := range us {
		if len(u.Data) > MaxMaster {
			return nil, not, decision.Wrong("sort", "%s is larger than %d MB", fileName(u.Filename), MaxMaster>>20)
		}
		token, err := s.Offer(ctx, Taking{Filename: u.Filename, Data: u.Data})
		if err != nil {
			return nil, not, err
		}
		tokens = append(tokens, token)
	}
	return tokens, not, nil
}

var errManySorted = decision.Wrong("sort", "these are more than %d drawings; bring fewer at once", preview.MaxSorted)

// Sort looks at loose drawings that are kept under tokens, and proposes what each is to the mark; own
// adds those in the master's file. Nothing is decided.
func (s *Studio) Sort(ctx context.Context, w *Snapshot, offered []string, own bool) (out []Drawer, err error) {
	var all []preview.Loose
	var tokens []string
	add := func(l preview.Loose, token string) error {
		pages, err := w.Pages(ctx, l)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			pages = []preview.Loose{l} // which says what is wrong with it
		}
		if token == "" && len(pages) == 1 {
			return nil // it is the master
		}
		for _, p := range pages {
			all, tokens = append(all, p), append(tokens, token)
		}
		if len(all) > preview.MaxSorted {
			return errManySorted
		}
		return nil
	}
	if own {
		if err := add(preview.Loose{Name: w.Mark.Master.Filename, Hash: w.Mark.Master.Hash.String()}, ""); err != nil {
			return nil, err
		}
	}
	for _, token := range offered {
		name, hash, err := s.OfferedHash(ctx, token)
		if errors.Is(err, ErrNotFound) {
			err = decision.Wrong("sort", "a file is no longer here: bring them again")
		}
		if err == nil {
			err = add(preview.Loose{Name: name, Hash: hash}, token)
		}
		if err != nil {
			return nil, err
		}
	}
	if len(all) == 0 {
		return nil, decision.Wrong("sort", "choose the files: drawings, pictures, or a zip of them")
	}
	pages := 0
	for _, t := range tokens {
		if t == "" {
			pages++
		}
	}
	sorted, main, err := w.Sort(ctx, all, pages)
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, l := range w.Recipe.Lockups {
		known[l.Name] = true
	}
	for i, x := range sorted {
		d := Drawer{Sorted: x, Token: tokens[i], As: x.Place.Colourway}
		switch {
		case i == main:
			d.As, d.Place.Lockup, d.Place.Leave = AsMain, "", ""
		case x.Wrong != "" || x.Place.Leave != "":
			d.As = AsLeft
		case x.Place.Lockup == "" && x.Place.Colourway == kin.InColour:
			d.As, d.Place.Leave = AsLeft, "it is the master's drawing again"
		case x.Place.Colourway == kin.InColour && !known[x.Place.Lockup]:
			d.As, known[x.Place.Lockup] = AsLockup, true
		}
		out = append(out, d)
	}
	return out, nil
}

// A Sorting is what a person says that a loose drawing is.
type Sorting struct {
	Token  string
	Page   int
	Lockup string // "" or main for the main one
	As     string
}

// TakeSorted gives a mark the drawings of its own that a person confirmed, all in one decision.
func (s *Studio) TakeSorted(ctx context.Context, w *Snapshot, all []Sorting) error {
	type kept struct {
		Sorting
		file, hash string
	}
	var lockups, cells []kept
	sheet := 0
	taken := map[Cell]string{}
	for _, x := range all {
		if x.As == AsLeft || x.As == "" {
			continue
		}
		if x.Lockup = strings.Join(strings.Fields(x.Lockup), " "); strings.EqualFold(x.Lockup, "main") {
			x.Lockup = ""
		}
		k := kept{Sorting: x, file: w.Mark.Master.Filename, hash: w.Mark.Master.Hash.String()}
		if x.As == AsMain {
			if x.Token != "" || sheet > 0 {
				return decision.Wrong("sort", "one page of the master's own file is the main drawing")
			}
			sheet = x.Page
			continue
		}
		if x.Token != "" {
			name, data, err := s.Offered(ctx, x.Token)
			if err != nil {
				return decision.Wrong("sort", "a file is no longer here: bring them again")
			}
			h, err := s.put(ctx, data)
			if err != nil {
				return err
			}
			k.file, k.hash = name, h.String()
		}
		at := Cell{x.Lockup, x.As}
		if x.As == AsLockup {
			at.Colourway = ""
			if err := (version.Lockup{Name: x.Lockup, Drawing: "x"}).Check(); err != nil || recipe.Slug(x.Lockup) == "" {
				return decision.Wrong("sort", "%s: give the lockup a name, such as wide or symbol", k.file)
			}
		}
		if first, ok := taken[at]; ok {
			return decision.Wrong("sort", "two drawings for %s: %s and %s", strings.TrimSpace(x.Lockup+" "+at.Colourway), first, k.file)
		}
		taken[at] = k.file
		if x.As == AsLockup {
			lockups = append(lockups, k)
		} else {
			cells = append(cells, k)
		}
	}
	if len(lockups)+len(cells) == 0 && sheet == 0 {
		return decision.Wrong("sort", "nothing is taken: say what at least one of them is")
	}
	return s.Decide(ctx, w.Mark.ID, fmt.Sprintf("%d drawings sorted into the set", len(lockups)+len(cells)), func(d *Decisions) error {
		if sheet > 0 {
			d.Mend(preflight.Sheet(sheet), true)
		}
		for _, k := range lockups {
			if err := drawLockup(d, k.Lockup, recipe.Reference{File: d.Keep(k.file, k.hash), Page: k.Page}); err != nil {
				return err
			}
		}
		for _, k := range cells {
			name, err := fill(d, Cell{k.Lockup, k.As})
			if err != nil {
				return err
			}
			d.Draw(name, recipe.Reference{File: d.Keep(k.file, k.hash), Page: k.Page}.String())
		}
		d.Forget()
		return nil
	})
}
