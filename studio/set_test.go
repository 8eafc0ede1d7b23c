package studio

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"dyekit/core/version"
)

const setMark = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 140"><g id="symbol"><path d="M10 10h80v60H10z" fill="#204080"/></g><g id="wordmark"><path d="M10 90h20v30H10zM40 90h50v30H60z" fill="#a03020"/></g></svg>`

// names lists the versions of a mark, with what each is drawn by.
func cellNames(w *Snapshot) string {
	var out []string
	for _, v := range w.Plan.Versions {
		n := v.Spec.Name
		if by := v.Spec.DrawnBy(); by != "" {
			n += "=" + by
		}
		if v.Drawing == nil {
			n += "!"
		}
		out = append(out, n)
	}
	return strings.Join(out, " ")
}

// The set is changed cell by cell; each change is one decision, and what nothing is made from is not
// kept among the drawings.
func TestSetOfAMark(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m, err := s.TakeIn(ctx, Taking{Client: "Set", Mark: "Mark", Filename: "mark.svg", Data: []byte(setMark)})
	if err != nil {
		t.Fatal(err)
	}
	up := func(name, body string) Upload { return Upload{name, []byte(body)} }
	check := func(want string, drawings int) {
		t.Helper()
		w := work(t, s, m.ID)
		if got := cellNames(w); got != want {
			t.Errorf("the set is %s\nwant       %s", got, want)
		}
		if len(w.Decisions.Drawings) != drawings {
			t.Errorf("%d drawings are kept, want %d: %v", len(w.Decisions.Drawings), drawings, w.Decisions.Drawings)
		}
	}
	wide := strings.Replace(setMark, "0 0 100 140", "0 0 100 141", 1)
	if err := s.DrawLockup(ctx, m.ID, " wide ", up("wide.svg", wide), 0); err != nil {
		t.Fatal(err)
	}
	check("colour black white icon wide-colour=wide.svg wide-black=wide.svg wide-white=wide.svg", 1)
	// Another file of the same name is another drawing.
	if _, err := s.Draw(ctx, m.ID, Cell{"wide", "white"}, up("wide.svg", setMark), 0); err != nil {
		t.Fatal(err)
	}
	check("colour black white icon wide-colour=wide.svg wide-black=wide.svg wide-white=wide-2.svg", 2)
	if err := s.LeaveOut(ctx, m.ID, "wide-white"); err != nil {
		t.Fatal(err)
	}
	check("colour black white icon wide-colour=wide.svg wide-black=wide.svg", 1)
	if err := s.LeaveOut(ctx, m.ID, "icon"); err != nil { // with the two lines that ask for nothing else
		t.Fatal(err)
	}
	w := work(t, s, m.ID)
	for _, f := range w.Plan.Files {
		if f.Icon != nil || f.Square() {
			t.Errorf("%s is asked for still", f.Path)
		}
	}
	if name, err := s.AddCell(ctx, m.ID, Cell{"wide", "white"}); err != nil || name != "wide-white" {
		t.Errorf("%s, %v", name, err)
	}
	if err := s.Derive(ctx, m.ID, "colour"); err != nil { // which is derived already
		t.Error(err)
	}
	check("colour black white wide-colour=wide.svg wide-black=wide.svg wide-white=wide.svg", 1)
	if err := s.DropLockup(ctx, m.ID, "wide"); err != nil {
		t.Fatal(err)
	}
	check("colour black white", 0)
	for _, n := range []string{"white", "black"} {
		if err := s.LeaveOut(ctx, m.ID, n); err != nil {
			t.Fatal(err)
		}
	}
	// A stroke goes over lines and versions whatever they are called.
	if err := s.addVersion(ctx, m.ID, "need", version.Spec{Name: "night sky", Treatment: version.AsDrawn}); err != nil {
		t.Fatal(err)
	}
	w = work(t, s, m.ID)
	if err := s.ChangeUses(ctx, w, "unstroke 0:night sky\t1:night sky\t1:colour", ""); err == nil {
		t.Error("a line was left without versions")
	}
	if err := s.ChangeUses(ctx, w, "unstroke 0:night sky\t1:night sky", ""); err != nil {
		t.Error(err)
	}
	w = work(t, s, m.ID)
	for i, want := range []int{1, 1, 2} {
		if n := len(w.Recipe.VersionsOf(w.Recipe.Files[i])); n != want {
			t.Errorf("line %d has %d versions, want %d", i, n, want)
		}
	}
	if err := s.LeaveOut(ctx, m.ID, "night sky"); err != nil {
		t.Error(err)
	}
	var in *InputError
	for what, err := range map[string]error{
		"the only version":        s.LeaveOut(ctx, m.ID, "colour"),
		"choose the file":         s.DrawLockup(ctx, m.ID, "wide", Upload{}, 0),
		"give the lockup a nam":   s.DrawLockup(ctx, m.ID, " ", up("wide.svg", wide), 0),
		"neither a drawing":       s.DrawLockup(ctx, m.ID, "wide", up("wide.txt", "words"), 0),
		"so there is no number 4": s.DrawLockup(ctx, m.ID, "wide", up("wide.svg", wide), 4),
		"recipe's own":            s.DropLockup(ctx, m.ID, "nosuch"),
	} {
		if !errors.As(err, &in) || !strings.Contains(in.Message, what) {
			t.Errorf("%v, want %q", err, what)
		}
	}
	if _, err := s.AddCell(ctx, m.ID, Cell{"", "puce"}); !errors.As(err, &in) || in.Field != "cell" {
		t.Errorf("a colourway that is none: %v", err)
	}
}

// A kit with a drawing of its own is stale for what changed in it, and for nothing else.
func TestStaleForADrawing(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m, err := s.TakeIn(ctx, Taking{Client: "Set", Mark: "Mark", Filename: "mark.svg", Data: []byte(setMark)})
	if err != nil {
		t.Fatal(err)
	}
	draw := func(art string) {
		t.Helper()
		if _, err := s.Draw(ctx, m.ID, Cell{"wide", "colour"}, Upload{"wide.svg", []byte(art)}, 0); err != nil {
			t.Fatal(err)
		}
	}
	// With a script, which the kit's own copy has not.
	wide := strings.Replace(setMark, "</svg>", `<script>1</script></svg>`, 1)
	if err := s.DrawLockup(ctx, m.ID, "wide", Upload{"all.svg", []byte(wide)}, 0); err != nil {
		t.Fatal(err)
	}
	draw(strings.Replace(wide, "0 0 100 140", "0 0 100 145", 1))
	defer workers(t, s, 1)()
	j, err := s.Build(ctx, work(t, s, m.ID))
	if err != nil {
		t.Fatal(err)
	}
	if j := until(t, s, j.ID); j.State != "done" {
		t.Fatalf("%+v", j)
	}
	stale := func(want ...string) {
		t.Helper()
		if why, err := s.Stale(ctx, work(t, s, m.ID)); err != nil || !slices.Equal(why, want) {
			t.Errorf("stale for %q (%v), want %q", why, err, want)
		}
	}
	stale()
	decide := func(f func(d *Decisions) error) {
		t.Helper()
		if err := s.Decide(ctx, m.ID, "a change", f); err != nil {
			t.Fatal(err)
		}
	}
	mend := func(take bool) func(d *Decisions) error {
		return func(d *Decisions) error { return d.MendDrawing(d.Drawings[0].Name, "backing", take) }
	}
	name := work(t, s, m.ID).Decisions.Drawings[0].Name
	decide(mend(true))
	stale(name + " was mended, or a mend taken back")
	decide(mend(false))
	stale()
	if err := s.Derive(ctx, m.ID, "wide-colour"); err != nil {
		t.Fatal(err)
	}
	draw(strings.Replace(wide, "0 0 100 140", "0 0 100 150", 1))
	stale("wide.svg is another drawing")
}

// A set-up is saved for all and given to the next client: its lockups are put together from parts
// where the first client's were drawn by hand.
func TestSetUpForTheNext(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := t.Context()
	m, err := s.TakeIn(ctx, Taking{Client: "First", Mark: "Mark", Filename: "mark.svg", Data: []byte(setMark)})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.DrawLockup(ctx, m.ID, "wide", Upload{"wide.svg", []byte(setMark)}, 0); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Draw(ctx, m.ID, Cell{"", "black"}, Upload{"black.svg", []byte(setMark)}, 0); err != nil {
		t.Fatal(err)
	}
	if err := s.SaveRecipe(ctx, work(t, s, m.ID), "our way", true); err != nil {
		t.Fatal(err)
	}
	all, err := s.SavedRecipes(ctx, 0)
	if err != nil || len(all) != 1 || len(all[0].Recipe.Drawings()) != 0 {
		t.Fatalf("%+v, %v", all, err)
	}
	next, err := s.TakeIn(ctx, Taking{Client: "Second", Mark: "Mark", Filename: "other.svg", Data: []byte(strings.ReplaceAll(setMark, "#204080", "#208040")), Pattern: all[0].ID})
	if err != nil {
		t.Fatal(err)
	}
	w := work(t, s, next.ID)
	if got := cellNames(w); got != "colour black white icon wide-colour wide-black wide-white" || w.Recipe.Name != "our way" {
		t.Errorf("the next client has %s, of %s", got, w.Recipe.Name)
	}
	if b := w.Plan.FrameOf("wide-colour").Box; b.W() < b.H() {
		t.Errorf("the wide lockup is %v", b)
	}
	var in *InputError
	if _, err := s.TakeIn(ctx, Taking{Client: "Third", Filename: "x.svg", Data: []byte(setMark), Pattern: 999}); !errors.As(err, &in) || in.Field != "pattern" {
		t.Errorf("a set-up that is none: %v", err)
	}
}
