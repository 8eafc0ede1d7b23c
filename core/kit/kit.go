// Package kit builds a kit: every file a recipe asks for, made from one
// master, each opened again and checked, with a manifest and a guide.
//
// A kit is named by its inputs alone: the same master, recipe, mends and
// release give the same bytes. Nothing in here knows databases or the web.
package kit

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"dyekit/core/advice"
	"dyekit/core/export"
	"dyekit/core/finding"
	"dyekit/core/format"
	"dyekit/core/guide"
	"dyekit/core/intake"
	"dyekit/core/kit/outside"
	"dyekit/core/parallel"
	"dyekit/core/parts"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// Release names the state of the engine; it is part of every kit's name.
const Release = "0.20.0"

// Pages writes the pages of a kit: how they look is no matter of the core.
type Pages interface {
	// Start writes START-HERE.html; beside are the paths of what lies in the kit beside its files.
	Start(w io.Writer, v guide.View, beside []string) error
	Sheet(w io.Writer, s *guide.Sheet) error
	Snippet(w io.Writer, s *guide.Snippet) error
}

// An Input is all that a kit depends on.
type Input struct {
	Master     []byte
	MasterName string // file name as it came, for the copy in the kit
	Brand      string
	Recipe     *recipe.Recipe
	Drawings   map[string]Drawn // that lockups and versions have of their own, as the recipe names them
	Options    intake.Options
	Inks       []version.InkMapping // of the brand, and the colours they stand for
	Profile    []byte               // ICC, of the press that files in process inks are for; or nil
	Number     int                  // of the kit, from 1; 0 stands for 1
	Original   bool                 // the master as it came lies beside the one without scripts
	Readers    outside.Mode
	// Pages writes what people read in a browser. With nil START-HERE.html is not there, so that
	// the kit does not pass Verify as one to hand over, and other pages are omitted and said to be.
	Pages Pages
	// Depot keeps the files; nil stands for a Store in memory.
	Depot Depot
	// Reuse, if not nil, gives a file of an earlier kit by its Plan.Key, with its
	// checks; its bytes are in the Depot. Base is what keys are told from: it names the master
	// with its mends, parts, inks, fonts and press.
	Reuse func(key string) (File, bool)
	Base  string
	// Partial lets a kit come to be without the files that cannot be made right;
	// it is marked incomplete. Otherwise the first of them ends the build.
	Partial bool
	// Progress, if not nil, is called from several goroutines: so many files are
	// done, and about such a share of the work, from 0 to 1.
	Progress func(done, total int, share float64, what string)
}

// A File is one file of a kit.
type File struct {
	Path     string     `json:"path"`
	Version  string     `json:"version"`
	For      string     `json:"for,omitempty"` // the version that it stands in for, in a small place
	Format   format.Key `json:"format"`
	WidthPx  int        `json:"width_px,omitempty"`
	HeightPx int        `json:"height_px,omitempty"`
	PPI      float64    `json:"ppi,omitempty"`
	WidthPt  float64    `json:"width_pt"`
	HeightPt float64    `json:"height_pt"`
	// LargestPt is how wide and how high the largest pages are, and SmallestPt the
	// smallest, where a file has pages of several sizes.
	SmallestPt *[2]float64  `json:"smallest_pt,omitempty"`
	LargestPt  *[2]float64  `json:"largest_pt,omitempty"`
	Colour     format.Space `json:"colour"`
	// Pixels says what a file of curves holds as pixels, and how large that is
	// sharp; empty if it holds none.
	Pixels string `json:"pixels,omitempty"`
	// Below is set if the mark is narrower in the file than is advised for it.
	Below  bool    `json:"below_smallest,omitempty"`
	Bytes  int     `json:"bytes"`
	SHA256 string  `json:"sha256"`
	Checks []Check `json:"checks"`
	Copied bool    `json:"-"` // from an earlier kit, where nothing changed
}

// A Report is what is said about a kit; it is what --json prints.
type Report struct {
	Kit     string            `json:"kit"`
	Files   []File            `json:"files"`
	Omitted []recipe.Omission `json:"omitted"`
	// Incomplete is set if files that were wanted could not be made right: those
	// in Failed.
	Incomplete bool              `json:"incomplete,omitempty"`
	Failed     []Failure         `json:"failed,omitempty"`
	Findings   finding.List      `json:"findings"`
	Versions   []version.Summary `json:"versions"`
	Advice     *advice.Advice    `json:"advice,omitempty"`
	Readers    *outside.Verdict  `json:"readers,omitempty"`
}

// A Failure is a file that was wanted and is not in the kit, because it could
// not be made or was not what it should be when it was opened again.
type Failure struct {
	Path    string     `json:"path"`
	Version string     `json:"version"`
	Format  format.Key `json:"format"`
	Reason  string     `json:"reason"` // what went wrong, in one sentence
	Next    string     `json:"next"`   // what the person can do now
}

// What to do about a failure.
const (
	nextCheck = "This is a fault of ours: the other files are right. Save the case and send it to whoever looks after Dye Kit."
	nextMake  = "The other files are right. Leave this file out of the recipe or ask for a smaller one."
)

func failure(f recipe.File, err error) Failure {
	x := Failure{Path: f.Path, Version: f.Version(), Format: f.Entry.Format, Reason: Plain(err), Next: nextMake}
	if errors.Is(err, ErrCheck) {
		x.Next = nextCheck
	}
	return x
}

// longest is the length of a reason, in letters, that a person reads.
const longest = 300

// Plain is an error in one sentence for a person.
func Plain(err error) string {
	s := strings.ReplaceAll(err.Error(), context.DeadlineExceeded.Error(), "it took too long")
	s = strings.ReplaceAll(s, context.Canceled.Error(), "it was cancelled")
	if r := []rune(s); len(r) > longest {
		s = string(r[:longest-1]) + "…"
	}
	return s
}

// A Manifest is kit.json: the report and what the kit was made from. The
// second reading is not part of it, as it depends on the machine.
type Manifest struct {
	Report
	Brand   string    `json:"brand"`
	Release string    `json:"release"`
	Number  int       `json:"number"`
	Master  MasterRef `json:"master"`
	// Original is the master as it came, scripts and all, if it was asked for.
	Original *MasterRef           `json:"original,omitempty"`
	Profile  *MasterRef           `json:"profile,omitempty"`  // of the press, if one was given
	Drawings []DrawnRef           `json:"drawings,omitempty"` // of lockups and versions, as the recipe names them
	Beside   []MasterRef          `json:"beside,omitempty"`   // what the recipe wants beside its files
	Mends    []intake.Mend        `json:"mends,omitempty"`
	Parts    []parts.Naming       `json:"parts,omitempty"`
	Inks     []version.InkMapping `json:"inks,omitempty"`
	Recipe   *recipe.Recipe       `json:"recipe"`
}

// A MasterRef names what the kit was made from: the master, the profile.
type MasterRef struct {
	Path   string `json:"path"`
	SHA256 string `json:"sha256"`
}

// A Kit is built and checked.
type Kit struct {
	Report
	Extra []File            // master, guide and manifest: they are not in the report
	Keys  map[string]string // by path, what files were made from; see Plan.Key
	Page  *guide.Page       // what START-HERE.html shows
	depot Depot
}

// All lists every file of the kit in the order in which it is packed.
func (k *Kit) All() []File { return append(slices.Clone(k.Files), k.Extra...) }

// ErrCheck is wrapped when a finished file is not what it claims to be.
var ErrCheck = errors.New("check failed")

// A KeepError is the end of a build whose files the Depot does not take: it is no
// fault of theirs.
type KeepError struct{ Err error }

func (e *KeepError) Error() string { return "it cannot be kept: " + e.Err.Error() }
func (e *KeepError) Unwrap() error { return e.Err }

// ErrRefused is wrapped when the master has a finding that stops the work.
var ErrRefused = errors.New("the master is refused")

// Build makes the kit. On any error there is no kit at all.
func Build(ctx context.Context, in Input) (*Kit, error) {
	begun := time.Now() // for the share of the work that is done
	if in.Number == 0 {
		in.Number = 1
	}
	in, err := in.housed()
	if err != nil {
		return nil, err
	}
	p, err := NewPlan(ctx, in)
	if err != nil {
		return nil, err
	}
	if f, stop := p.Findings.Stopping(); stop {
		return nil, fmt.Errorf("%w: %s", ErrRefused, f.Message)
	}
	if len(p.Files) == 0 {
		return nil, fmt.Errorf("the recipe %q leaves no file to make: %s", in.Recipe.Name, firstReason(p.Omitted))
	}
	j := newJob(in.Brand, p)
	j.reuse, j.base = in.Reuse, in.Base
	if in.Depot != nil {
		j.depot = in.Depot
	}
	k := &Kit{depot: j.depot, Report: Report{
		Kit:      fmt.Sprintf("%s_kit_r%d", recipe.Slug(in.Brand), in.Number),
		Omitted:  p.Omitted,
		Findings: p.Findings,
	}}
	for _, v := range p.Versions {
		k.Versions = append(k.Versions, v.Summary())
	}
	if err := j.readyAll(ctx); err != nil {
		return nil, err
	}
	if err := j.files(ctx, p.Files, k, in, time.Since(begun)); err != nil {
		return nil, err
	}
	if in.Readers != outside.None {
		if err := j.secondReading(ctx, k, p.Files, in); err != nil {
			return nil, err
		}
	}
	k.Incomplete = len(k.Failed) > 0
	k.Keys = map[string]string{}
	for _, f := range p.Files {
		k.Keys[f.Path] = p.Key(in.Base, in.Brand, f)
	}
	switch {
	case len(k.Files) == 0 && k.Incomplete:
		return nil, fmt.Errorf("%w: none of the files could be made right; the first, %s: %s", ErrCheck, k.Failed[0].Path, k.Failed[0].Reason)
	case len(k.Files) == 0:
		return nil, fmt.Errorf("the recipe %q leaves no file to make: %s", in.Recipe.Name, firstReason(k.Omitted))
	}
	if k.Omitted == nil {
		k.Omitted = []recipe.Omission{}
	}
	if k.Findings == nil {
		k.Findings = finding.List{}
	}
	if err := k.finish(ctx, in, j, p); err != nil {
		return nil, err
	}
	return k, nil
}

func firstReason(o []recipe.Omission) string {
	if len(o) == 0 {
		return "it asks for none"
	}
	return o[0].Version + " " + string(o[0].Format) + ": " + o[0].Reason
}

// files makes and checks all files, as many at a time as there are cores.
// A file that cannot be made right ends the build, or is noted in k.Failed if
// in says that the kit may be partial. planned is how long the plan took.
func (j *job) files(ctx context.Context, want []recipe.File, k *Kit, in Input, planned time.Duration) error {
	type result struct {
		file   File
		reason string // left out after all
		err    error
	}
	results := make([]result, len(want))
	const guide = -1 // made beside the files, so that nothing waits for it in the end
	cost := j.costs(want)
	tasks := slices.Insert(longestFirst(cost), len(want)/2, guide)
	p := newProgress(in.Progress, cost, planned)
	err := parallel.Do(ctx, len(tasks), func(ctx context.Context, k int) error {
		i := tasks[k]
		if i == guide {
			_, err := j.guideOf(ctx, in, want)
			return err
		}
		p.tell(want[i].Path)
		r := &results[i]
		// A fault of ours ends this file, not the others.
		r.err = parallel.Guard(func() (err error) {
			r.file, r.reason, err = j.file(ctx, want[i])
			return err
		})
		var keep *KeepError
		if r.err != nil && (!in.Partial || ctx.Err() != nil || errors.As(r.err, &keep)) {
			return fmt.Errorf("%s: %w", want[i].Path, r.err)
		}
		p.finish(i)
		return nil
	})
	if err != nil {
		return err
	}
	for i, r := range results {
		if r.reason != "" {
			k.Omitted = append(k.Omitted, recipe.Omission{Version: want[i].Version(), Format: want[i].Entry.Format, Reason: r.reason})
			continue
		}
		if r.err != nil {
			k.Failed = append(k.Failed, failure(want[i], r.err))
			continue
		}
		k.Files = append(k.Files, r.file)
	}
	p.tell("packing")
	return nil
}

// file makes one file and checks it. reason is set if its type cannot carry
// the art.
func (j *job) file(ctx context.Context, f recipe.File) (out File, reason string, err error) {
	if old, ok := j.reused(f); ok {
		return old, "", nil
	}
	data, px, err := j.make(ctx, f)
	var no *export.Unsupported
	if errors.As(err, &no) {
		return File{}, no.Reason, nil
	}
	if err != nil {
		return File{}, "", err
	}
	cs, err := j.check(ctx, f, px, data)
	if err != nil {
		return File{}, "", err
	}
	if c, bad := failed(cs); bad {
		return File{}, "", fmt.Errorf("%w: %s: %s", ErrCheck, c.Name, c.Found)
	}
	out = describe(f, len(data), Hash(data), cs)
	if err := j.depot.Put(ctx, out.SHA256, data); err != nil {
		return File{}, "", &KeepError{err}
	}
	out.Pixels = j.holdsPixels(ctx, f)
	return out, "", nil
}

func describe(f recipe.File, size int, hash string, cs []Check) File {
	out := File{
		Path: f.Path, Version: f.Version(), For: f.For, Format: f.Entry.Format,
		WidthPx: f.W, HeightPx: f.H, PPI: f.PPI,
		WidthPt: round(f.WPt), HeightPt: round(f.HPt),
		Colour: f.Entry.ColourSpace(), Bytes: size, SHA256: hash, Checks: cs,
	}
	if len(f.Sheets) > 0 {
		least, most := f.Span()
		for i := range least {
			least[i], most[i] = round(least[i]), round(most[i])
		}
		out.SmallestPt, out.LargestPt = &least, &most
	}
	return out
}

// round keeps lengths of a report readable: to 1/1000 pt.
func round(v float64) float64 { return float64(int64(v*1000+0.5)) / 1000 }

// Hash is the name of some bytes.
func Hash(b []byte) string {
	s := sha256.Sum256(b)
	return hex.EncodeToString(s[:])
}

// finish adds the master, the guide and the manifest.
func (k *Kit) finish(ctx context.Context, in Input, j *job, p *Plan) error {
	kept, name, asItCame := in.Master, in.MasterName, true
	if disarm := p.Master.Kind.Disarm; disarm != nil {
		// What was said to be dropped is not handed on in the master either.
		clean, changed, err := disarm(kept)
		if err != nil {
			return err
		}
		if changed {
			kept, name, asItCame = clean, strings.TrimSuffix(name, path.Ext(name))+"."+p.Master.Kind.Key, false
		}
	}
	extra := func(p string, data []byte) (File, error) {
		f := File{Path: p, Bytes: len(data), SHA256: Hash(data)}
		k.Extra = append(k.Extra, f)
		return f, k.depot.Put(ctx, f.SHA256, data)
	}
	master, err := extra("MASTER/"+safeName(name, p.Master.Kind.Key), kept)
	if err != nil {
		return err
	}
	if k.Page, err = j.guide(ctx, k, in, p.Files); err != nil {
		return err
	}
	if k.Advice, err = p.Advice(ctx); err != nil {
		return err
	}
	k.Advice.Uses = uses(k.Page)
	for i := range k.Files {
		k.Files[i].Below = p.below(k.Files[i], k.Advice.Smallest)
	}
	besides, left, err := j.beside(ctx, in, k.Files)
	if err != nil {
		return err
	}
	var page []byte
	if in.Pages != nil {
		if page, err = startHere(in.Pages, k.Page, in.Recipe.Language, besides); err != nil {
			return err
		}
	}
	said := k.Report
	said.Readers = nil // they depend on the machine
	m := Manifest{
		Report: said, Brand: in.Brand, Release: Release, Number: in.Number,
		Master: MasterRef{master.Path, master.SHA256}, Mends: in.Options.Mends, Parts: in.Options.Parts, Inks: in.Inks, Recipe: in.Recipe,
	}
	if in.Original && !asItCame {
		x, err := extra("MASTER/original-"+safeName(in.MasterName, p.Master.Kind.Key), in.Master)
		if err != nil {
			return err
		}
		m.Original = &MasterRef{x.Path, x.SHA256}
	}
	if len(in.Profile) > 0 {
		x, err := extra("MASTER/press.icc", in.Profile)
		if err != nil {
			return err
		}
		m.Profile = &MasterRef{x.Path, x.SHA256}
	}
	refs, drawn := in.kept()
	for i, r := range refs {
		if _, err := extra(r.Path, drawn[i]); err != nil {
			return err
		}
	}
	m.Drawings = refs
	m.Omitted = append(slices.Clip(m.Omitted), left...)
	k.Omitted = m.Omitted
	for _, x := range besides {
		m.Beside = append(m.Beside, MasterRef{x.path, Hash(x.data)})
	}
	b, err := json.MarshalIndent(m, "", " ")
	if err != nil {
		return err
	}
	if page != nil {
		if _, err := extra(startPage, page); err != nil {
			return err
		}
	}
	for _, x := range besides {
		if _, err := extra(x.path, x.data); err != nil {
			return err
		}
	}
	_, err = extra("kit.json", append(b, '\n'))
	return err
}

// safeName keeps a master's file name as far as it is safe everywhere.
func safeName(name, kind string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	ext := path.Ext(name)
	stem := recipe.Portable(recipe.Slug(strings.TrimSuffix(name, ext)))
	if stem == "" {
		stem = "master"
	}
	if e := recipe.Slug(ext); e != "" {
		return stem + "." + e
	}
	return stem + "." + kind
}
