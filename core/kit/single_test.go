package kit

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"dyekit/core/asked"
	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/core/version"
)

// source is a kit made again from its own files.
func source(t testing.TB, k *Kit) *Source {
	t.Helper()
	s, err := NewSource(context.Background(), fileOf(t, k), nil)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// fileOf returns the files of a kit by their path.
func fileOf(t testing.TB, k *Kit) func(path string) ([]byte, error) {
	byPath := map[string]string{}
	for _, f := range k.All() {
		byPath[f.Path] = f.SHA256
	}
	return func(path string) ([]byte, error) {
		h, ok := byPath[path]
		if !ok {
			return nil, os.ErrNotExist
		}
		return k.depot.Get(context.Background(), h)
	}
}

func order(line string) asked.Order {
	var e recipe.Entry
	if err := json.Unmarshal([]byte(line), &e); err != nil {
		panic(line + ": " + err.Error())
	}
	return asked.Order{Entry: e, Sized: true}
}

// What is made on the spot has the bytes that the kit would have whose recipe asks for it:
// every file type, from every mark of the demo and an odd one, wide and tall.
func TestMadeAsTheRecipeWould(t *testing.T) {
	t.Parallel()
	lines := []string{`{"format":"png","widths":[640]}`, `{"format":"png","box":"540x540","round":true}`, `{"format":"png","size":"30mm","ppi":150,"backing":"#ffffff"}`, `{"format":"webp","heights":[120]}`,
		`{"format":"jpeg","widths":[400],"colour":"cmyk","ppi":300}`, `{"format":"jpeg","box":"400x210","quality":70}`, `{"format":"tiff","widths":[300],"ppi":300}`,
		`{"format":"svg"}`, `{"format":"svg","size":"40mm"}`, `{"format":"pdf","size":"80mm","colour":"cmyk","pages":"one-per-version-file"}`, `{"format":"pdf","size":"80x80mm","pages":"one-per-version-file"}`, `{"format":"eps","size":"2in","colour":"cmyk"}`}
	r, _ := recipe.Builtin("standard")
	for _, name := range []string{"odd-kettle.svg", "larkmoor-roundel.svg"} {
		in := Input{Master: master(t, name), MasterName: name, Brand: "Mark", Recipe: r, Readers: "none"}
		s := source(t, build(t, in))
		for _, version := range []string{"colour", "white"} {
			whole := *r
			whole.Files = nil
			var orders []asked.Order
			for _, l := range lines {
				o := order(l)
				o.Versions = []string{version}
				if f, _ := format.Of(o.Format); version == "white" && (f.Opaque || o.Backing != "") {
					continue
				}
				orders, whole.Files = append(orders, o), append(whole.Files, o.Entry)
			}
			whole.Naming = "{brand}_{version}_{size}_{colour}"
			in.Recipe = &whole
			k := build(t, in)
			for i, o := range orders {
				f, data, err := s.Make(context.Background(), o)
				if err != nil {
					t.Errorf("%s %s %s: %v", name, version, lines[i], err)
					continue
				}
				if !slices.ContainsFunc(k.Files, func(x File) bool { return x.SHA256 == f.SHA256 }) {
					t.Errorf("%s %s %s: its bytes are in no kit", name, version, lines[i])
				}
				if Hash(data) != f.SHA256 || len(f.Checks) < 3 {
					t.Errorf("%s: %d bytes, %d checks", f.Path, len(data), len(f.Checks))
				}
			}
		}
	}
}

// A size on paper is the page's, as another program measures it.
func TestSizeOnPaperOfCurves(t *testing.T) {
	t.Parallel()
	s := source(t, build(t, input(t)))
	pages := regexp.MustCompile(`Page size:\s+([\d.]+) x ([\d.]+) pts`)
	for size, want := range map[string][2]float64{"80mm": {226.772, 0}, "80x30mm": {226.772, 85.039}, "2in": {144, 0}} {
		_, data, err := s.Make(context.Background(), order(fmt.Sprintf(`{"format":"pdf","versions":["white"],"size":%q,"colour":"cmyk","pages":"one-per-version-file"}`, size)))
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), "a.pdf")
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		out, err := exec.Command("pdfinfo", path).Output()
		if err != nil {
			t.Fatal(err)
		}
		m := pages.FindSubmatch(out)
		if m == nil {
			t.Fatalf("no page size in %s", out)
		}
		for i, w := range want {
			if got, _ := strconv.ParseFloat(string(m[1+i]), 64); w > 0 && (got-w > 0.01 || w-got > 0.01) {
				t.Errorf("%s: side %d is %v pt, want %v", size, i, got, w)
			}
		}
	}
}

// What cannot be made is refused in a sentence, and nothing is made from a kit that is not
// what its manifest says.
func TestNotMade(t *testing.T) {
	t.Parallel()
	k := build(t, input(t))
	s := source(t, k)
	var no *NotMadeError
	for _, l := range []string{`{"format":"jpeg","versions":["white"],"widths":[300]}`, `{"format":"png","versions":["none"],"widths":[300]}`, `{"format":"pdf","versions":["colour"],"size":"9m"}`,
		`{"format":"pdf","versions":["colour"],"size":"9000mm"}`, `{"format":"pdf","versions":["colour"],"widths":[20]}`, `{"format":"png","versions":["colour"],"colour":"cmyk","widths":[20]}`} {
		if _, _, err := s.Make(context.Background(), order(l)); !errors.As(err, &no) {
			t.Errorf("%s: %v", l, err)
		}
	}
	o := order(`{"format":"png","versions":["colour"],"widths":[3000]}`)
	o.MostKB = 20
	if _, _, err := s.Make(context.Background(), o); !errors.As(err, &no) {
		t.Errorf("3000 px in 20 kB: %v", err)
	}
	o.Sized = false
	if f, data, err := s.Make(context.Background(), o); err != nil || len(data) > 20_000 || f.WidthPx > 1500 {
		t.Errorf("%d bytes, %d px: %v", len(data), f.WidthPx, err)
	}
	// Below what is advised, it is made, and said.
	if f, _, err := s.Make(context.Background(), order(`{"format":"png","versions":["colour"],"widths":[12]}`)); err != nil || !f.Below {
		t.Errorf("12 px wide: below is %v, %v", f.Below, err)
	}
	get := fileOf(t, k)
	for what, change := range map[string]func(path string, b []byte) []byte{
		"another master": func(path string, b []byte) []byte {
			if path == "MASTER/odd-kettle.svg" {
				return append(slices.Clone(b), ' ')
			}
			return b
		},
		"another file": func(path string, b []byte) []byte {
			if filepath.Ext(path) == ".svg" && path != "MASTER/odd-kettle.svg" {
				return append(slices.Clone(b), ' ')
			}
			return b
		},
		"another ink": func(path string, b []byte) []byte {
			if path == "kit.json" {
				return regexp.MustCompile(`#6b2d4f`).ReplaceAll(b, []byte("#00aa00"))
			}
			return b
		},
	} {
		bad, err := NewSource(context.Background(), func(path string) ([]byte, error) {
			b, err := get(path)
			return change(path, b), err
		}, nil)
		if err == nil {
			_, _, err = bad.Make(context.Background(), order(`{"format":"png","versions":["plum"],"widths":[100]}`))
		}
		if !errors.Is(err, ErrCheck) && !errors.Is(err, ErrChanged) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// In another ink of the brand a file is what the kit would have whose recipe has that version.
func TestMadeInAnotherInk(t *testing.T) {
	t.Parallel()
	in := input(t)
	plum := in.Recipe.Versions[3]
	in.Recipe = parse(t, strings.Replace(small, `,
  {"name":"plum","treatment":"single-ink","ink":{"name":"Plum","rgb":"#6b2d4f","cmyk":[40,85,20,35],"spot":"Kettle Plum"}}`, "", 1))
	in.Inks = []version.InkMapping{{Ink: version.Ink{Name: "Plum", RGB: "#6b2d4f", CMYK: plum.Ink.CMYK, Spot: "Kettle Plum"}, Drawn: "#6b2d4f"}}
	s := source(t, build(t, in))
	k, err := s.Wanted(context.Background(), asked.All)
	if err != nil || len(k.Inks) != 1 || k.Inks[0].Name != "Plum" {
		t.Fatalf("the inks are %+v, %v", k.Inks, err)
	}
	a, ok := k.Answer(asked.Read("en", "in plum, as PDF in CMYK, 60 mm", k.Names()...))
	if !ok || a.Make == nil || a.Make.Ink != "Plum" || !a.Whole {
		t.Fatalf("asked for plum: %+v", a)
	}
	f, data, err := s.Make(context.Background(), *a.Make)
	if err != nil || f.Version != "plum" {
		t.Fatalf("%+v, %v", f, err)
	}
	in.Recipe = parse(t, strings.Replace(small, `{"format":"svg"},`, `{"format":"pdf","size":"60mm","colour":"cmyk","versions":["plum"],"pages":"one-per-version-file"},`, 1))
	in.Recipe.Versions[3].Ink.Name = "Plum"
	if whole := build(t, in); !slices.ContainsFunc(whole.Files, func(x File) bool { return x.SHA256 == Hash(data) }) {
		t.Error("its bytes are in no kit")
	}
	if !bytes.Contains(data, []byte("Kettle#20Plum")) {
		t.Error("the plate is not in it")
	}
	k.May.Inks = false
	if k.Refuses(*a.Make) != asked.NoInk {
		t.Error("it is made where no other inks are")
	}
	for _, o := range []asked.Order{{Entry: a.Make.Entry, Ink: "Lime"}, {Entry: order(`{"format":"svg","versions":["colour"]}`).Entry, Ink: "Plum"}} {
		var no *NotMadeError
		if _, _, err := s.Make(context.Background(), o); !errors.As(err, &no) {
			t.Errorf("%s in %s: %v", o.Version(), o.Ink, err)
		}
	}
}

// Made on the spot is soon enough for who waits: see also make bench.
func BenchmarkSingle(b *testing.B) {
	s := source(b, build(b, Input{Master: master(b, "odd-kettle.svg"), MasterName: "odd-kettle.svg", Brand: "Odd Kettle", Recipe: standard(), Readers: "none"}))
	for _, l := range []string{`{"format":"png","versions":["colour"],"widths":[1000]}`, `{"format":"pdf","versions":["colour"],"size":"80mm","colour":"cmyk","pages":"one-per-version-file"}`} {
		o := order(l)
		b.Run(string(o.Format), func(b *testing.B) {
			for b.Loop() {
				if _, _, err := s.Make(b.Context(), o); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func standard() *recipe.Recipe {
	r, _ := recipe.Builtin("standard")
	return r
}
