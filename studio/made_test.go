package studio

import (
	"errors"
	"fmt"
	"io"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"dyekit/core/asked"
	"dyekit/core/format"
	"dyekit/core/kit"
	"dyekit/core/recipe"
)

func ordered(t testing.TB, query string) asked.Order {
	t.Helper()
	q, err := url.ParseQuery(query)
	if err != nil {
		t.Fatal(err)
	}
	o, err := asked.ParseOrder(q)
	if err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return o
}

// What the kit has not is made once, within what the link allows, kept, noted without who it
// was for, and given up when nobody asks for it; the recipe takes what is asked for often.
func TestMadeOnRequest(t *testing.T) {
	t.Parallel()
	s := open(t)
	k, h, _ := handed(t, s, HandWish{Recipient: "Ada", May: MayAll, HideTypes: []format.Key{"eps"}})
	ctx := t.Context()
	o := ordered(t, "version=white&type=png&size=640&ppi=72&sized=1")
	m, err := s.Make(ctx, h, k, o)
	if err != nil || m.Base() != "odd-kettle_white_640.png" || m.Below {
		t.Fatalf("%+v, %v", m, err)
	}
	r, err := s.OpenMade(ctx, m)
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(r)
	if err != nil || kit.Hash(data) != m.Hash() || len(data) != m.Size {
		t.Errorf("%d bytes, %v", len(data), err)
	}
	again, err := s.Make(ctx, h, k, o)
	if err != nil || again.Hash() != m.Hash() {
		t.Errorf("again: %+v, %v", again, err)
	}
	for query, want := range map[string]asked.Refusal{"version=white&type=eps": asked.NoType, "version=plum&type=svg": asked.NoVersion, "version=white&type=png&size=90000": asked.NoSize} {
		var no *RefusedError
		if _, err := s.Make(ctx, h, k, ordered(t, query)); !errors.As(err, &no) || no.Why != want {
			t.Errorf("%s: %v", query, err)
		}
	}
	if _, err := s.Make(ctx, nil, k, ordered(t, "version=white&type=eps")); err != nil {
		t.Errorf("what is hidden from a client is made for its studio: %v", err)
	}
	var no *kit.NotMadeError
	if _, err := s.Make(ctx, h, k, ordered(t, "version=white&type=jpeg&size=300")); !errors.As(err, &no) {
		t.Errorf("white on white: %v", err)
	}
	tiny := ordered(t, "version=colour&type=png&size=12")
	if m, err := s.Make(ctx, h, k, tiny); err != nil || !m.Below {
		t.Errorf("12 px, with a warning: %+v, %v", m, err)
	}
	strict := *h
	strict.May.Small = false
	if _, err := s.Make(ctx, &strict, k, tiny); !errors.Is(err, ErrTooSmall) {
		t.Errorf("12 px where the studio does not want it: %v", err)
	}
	es, err := s.HandLog(ctx, h.ID)
	if err != nil || len(es) != 2 || es[0].What != HandMade || es[0].Times != 1 {
		t.Errorf("the log: %+v, %v", es, err)
	}
	ms, err := s.MadeOf(ctx, k.MarkID)
	if err != nil || len(ms) != 3 || ms[0].Base() != "odd-kettle_white_640.png" && ms[0].Times != 2 {
		t.Errorf("what was made: %+v, %v", ms, err)
	}

	// Of a master that takes much to be drawn nothing is made.
	p, err := s.Page(ctx, k)
	if err != nil {
		t.Fatal(err)
	}
	p.Heavy = true
	var heavy *RefusedError
	if _, err := s.Make(ctx, h, k, o); !errors.As(err, &heavy) {
		t.Errorf("of a heavy master: %v", err)
	}
	if _, err := s.Right(ctx, h, k, []byte("x")); !errors.Is(err, ErrNotFound) {
		t.Errorf("compared with a heavy master: %v", err)
	}
	p.Heavy = false

	// It becomes a line of the recipe, and the next kit has it, with the same bytes.
	if err := s.Want(ctx, k.MarkID, o); err != nil {
		t.Fatal(err)
	}
	if err := s.Want(ctx, k.MarkID, o); err == nil {
		t.Error("the same line twice")
	}
	for _, query := range []string{"version=black&type=svg&ink=Plum", "version=black&type=png&size=300&kb=5"} {
		var in *InputError
		if err := s.Want(ctx, k.MarkID, ordered(t, query)); !errors.As(err, &in) {
			t.Errorf("%s becomes a line that makes another file: %v", query, err)
		}
	}
	next := built(t, s, k.MarkID)
	hash, err := s.fileHash(ctx, next.ID, "PNG/odd-kettle_white_640.png")
	if err != nil || hash.String() != m.Hash() {
		t.Errorf("in the next kit it is %s, %v", hash, err)
	}

	// Of a kit so many are kept, the last that were asked for.
	for i := range madeKept + 3 {
		do(t, s, "INSERT INTO made (kit_id, name, query, path, size, sha256, last_at) SELECT kit_id, UNHEX(SHA2(?, 256)), query, path, size, sha256, last_at - INTERVAL 1 HOUR FROM made WHERE kit_id = ? ORDER BY id LIMIT 1", fmt.Sprint(i), k.ID)
	}
	if err := s.forget(ctx); err != nil || rows(t, s, "SELECT COUNT(*) FROM made WHERE kit_id = ?", k.ID) != madeKept || rows(t, s, "SELECT COUNT(*) FROM made WHERE path LIKE '%_640.png' AND last_at = CURRENT_DATE") != 1 {
		t.Errorf("%d are kept: %v", rows(t, s, "SELECT COUNT(*) FROM made"), err)
	}

	// What nobody asks for is made again when somebody does.
	if _, err := s.db.ExecContext(ctx, "UPDATE made SET last_at = NOW(6) - INTERVAL 90 DAY"); err != nil {
		t.Fatal(err)
	}
	if err := s.forget(ctx); err != nil || rows(t, s, "SELECT COUNT(*) FROM made") != 0 {
		t.Errorf("after 90 days it is still kept: %v", err)
	}
	if again, err := s.Make(ctx, h, k, o); err != nil || again.Hash() != m.Hash() {
		t.Errorf("made anew: %+v, %v", again, err)
	}
}

// One link has so many files made in a day and no more, however many ask at a time; another is
// not held up by it.
func TestMadeADay(t *testing.T) {
	t.Parallel()
	s := open(t)
	k, h, _ := handed(t, s, HandWish{Recipient: "Ada", May: MayAll})
	other, _, err := s.HandOver(t.Context(), k, HandWish{Recipient: "Bea", May: MayAll})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.ExecContext(t.Context(), "INSERT INTO hand_log (hand_id, hour, what, path, times) VALUES (?, ?, ?, 'x', ?)", h.ID, time.Now().UTC().Truncate(time.Hour), HandMade, MadeADay-3); err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	made, enough := 0, 0
	for i := range 12 {
		wg.Go(func() {
			o := asked.Order{Entry: recipe.Entry{Format: format.PNG, Versions: []string{"black"}, Widths: []int{100 + i}, PPI: 72, Colour: format.RGB}}
			_, err := s.Make(t.Context(), h, k, o)
			mu.Lock()
			defer mu.Unlock()
			switch {
			case err == nil:
				made++
			case errors.Is(err, ErrEnough):
				enough++
			default:
				t.Errorf("%d: %v", i, err)
			}
		})
	}
	wg.Wait()
	if made < 3 || made > 3+maxMaking || made+enough != 12 {
		t.Errorf("%d were made, %d refused", made, enough)
	}
	for i := range 3 {
		if _, err := s.Make(t.Context(), other, k, ordered(t, fmt.Sprintf("version=black&type=png&size=%d", 300+i))); err != nil {
			t.Errorf("for another link: %v", err)
		}
	}
}

// What clients call things holds for them, and for no other studio's.
func TestWordings(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "Odd Kettle", "Kettle")
	other := take(t, s, "Larkmoor", "Roundel")
	ctx := t.Context()
	for what, w := range map[string]Wording{
		"nothing said":   {Rule: asked.Rule{Means: "white"}},
		"nothing meant":  {Rule: asked.Rule{Said: "fair"}},
		"not understood": {Rule: asked.Rule{Said: "fair", Means: "blorp png"}},
		"too long":       {Rule: asked.Rule{Said: strings.Repeat("x", MaxWording+1), Means: "png"}},
	} {
		var in *InputError
		if err := s.SetWording(ctx, m.ID, w); !errors.As(err, &in) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := errors.Join(s.SetWording(ctx, m.ID, Wording{Rule: asked.Rule{Said: " the  fair", Means: "white, EPS"}}), s.SetWording(ctx, m.ID, Wording{Rule: asked.Rule{Said: "the fair", Means: "black, EPS"}}),
		s.SetWording(ctx, m.ID, Wording{Rule: asked.Rule{Said: "chat", Means: "square png"}, All: true})); err != nil {
		t.Fatal(err)
	}
	rules, err := s.Rules(ctx, m.ID)
	if err != nil || len(rules) != 2 || rules[0] != (asked.Rule{Said: "the fair", Means: "black, EPS"}) {
		t.Errorf("%+v, %v", rules, err)
	}
	if rules, err := s.Rules(ctx, other.ID); err != nil || len(rules) != 1 || rules[0].Said != "chat" {
		t.Errorf("another client's: %+v, %v", rules, err)
	}
	ws, err := s.Wordings(ctx, m.ID)
	if err != nil {
		t.Fatal(err)
	}
	stranger := InHouse(ctx, 77)
	if err := s.DropWording(stranger, m.ID, ws[0].ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("another studio takes it away: %v", err)
	}
	if err := s.DropWording(ctx, m.ID, ws[0].ID); err != nil {
		t.Error(err)
	}
	if rules, _ := s.Rules(ctx, m.ID); len(rules) != 1 {
		t.Errorf("after it was taken away: %+v", rules)
	}
}
