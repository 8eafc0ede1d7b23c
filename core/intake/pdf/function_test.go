package pdf

import (
	"math"
	"testing"
)

// Functions of ISO 32000-1, 7.10, by its own formulae: what goes in is held to the
// domain, what comes out to the range, and a list gives the first value of each.
func TestFunctions(t *testing.T) {
	const half = "<</FunctionType 2/Domain[0 1]/N 1/C0[0 1]/C1[1 0]>>"
	for name, c := range map[string]struct {
		text string
		want map[float64][]float64
	}{
		"straight":            {half, map[float64][]float64{0: {0, 1}, 0.25: {0.25, 0.75}, 1: {1, 0}, 2: {1, 0}, -1: {0, 1}}},
		"as it is by itself":  {"<</FunctionType 2/Domain[0 1]/N 1>>", map[float64][]float64{0.25: {0.25}}},
		"squared":             {"<</FunctionType 2/Domain[0 1]/N 2/C0[1]/C1[3]>>", map[float64][]float64{0.5: {1.5}, 1: {3}}},
		"held to its range":   {"<</FunctionType 2/Domain[0 1]/N 1/C0[-1]/C1[2]/Range[0 1]>>", map[float64][]float64{0: {0}, 0.5: {0.5}, 1: {1}}},
		"a domain of its own": {"<</FunctionType 2/Domain[0.5 0.75]/N 1>>", map[float64][]float64{0: {0.5}, 0.6: {0.6}, 1: {0.75}}},
		"stitched":            {"<</FunctionType 3/Domain[0 1]/Bounds[0.25]/Encode[0 1 1 0]/Functions[<</FunctionType 2/Domain[0 1]/N 1>><</FunctionType 2/Domain[0 1]/N 1>>]>>", map[float64][]float64{0: {0}, 0.125: {0.5}, 0.25: {1}, 0.625: {0.5}, 1: {0}}},
		"a list gives firsts": {"[" + half + "<</FunctionType 2/Domain[0 1]/N 1/C0[5]/C1[7]>>]", map[float64][]float64{0: {0, 5}, 0.5: {0.5, 6}}},
	} {
		fn, err := functionOf(t, c.text)
		if fn == nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		for x, want := range c.want {
			got := fn.f([]float64{x})
			if len(got) != len(want) || fn.out != len(want) {
				t.Errorf("%s: f(%v) is %v, want %v", name, x, got, want)
				continue
			}
			for i := range want {
				if math.Abs(got[i]-want[i]) > 1e-9 {
					t.Errorf("%s: f(%v) is %v, want %v", name, x, got, want)
				}
			}
		}
	}
	// Sampled (7.10.2): by hand between four samples, forwards, backwards, and a part of them.
	for name, c := range map[string]struct {
		more string
		want map[float64]float64
	}{
		"as it is by itself": {"", map[float64]float64{0: 0, 1.0 / 3: 100, 0.5: 75, 2.0 / 3: 50, 5.0 / 6: 125, 1: 200}},
		"backwards":          {"/Encode[3 0]", map[float64]float64{0: 200, 1.0 / 3: 50, 0.5: 75, 1: 0}},
		"a part":             {"/Encode[1 2]", map[float64]float64{0: 100, 0.5: 75, 1: 50}},
		"past the end":       {"/Encode[0 9]", map[float64]float64{1.0 / 9: 100, 0.5: 200, 1: 200}},
	} {
		d := &doc{}
		d.stream("/FunctionType 0/Domain[0 1]/Range[0 255]/Size[4]/BitsPerSample 8"+c.more, "\x00\x64\x32\xc8")
		f, err := open(t.Context(), d.file("", "", ""), "")
		if err != nil {
			t.Fatal(err)
		}
		fn, err := f.function(ref{num: 1})
		if err != nil {
			t.Errorf("sampled, %s: %v", name, err)
			continue
		}
		for x, want := range c.want {
			if got := fn.f([]float64{x}); len(got) != 1 || math.Abs(got[0]-want) > 1e-9 {
				t.Errorf("sampled, %s: f(%v) is %v, want %v", name, x, got, want)
			}
		}
	}
	for name, text := range map[string]string{
		"no list": "[]", "no domain": "<</FunctionType 2/N 1>>", "half a domain": "<</FunctionType 2/Domain[0]/N 1>>", "odd ends": "<</FunctionType 2/Domain[0 1]/N 1/C0[0 0]/C1[1]>>",
		"no such type": "<</FunctionType 7/Domain[0 1]>>", "bounds that do not fit": "<</FunctionType 3/Domain[0 1]/Bounds[]/Encode[0 1 0 1]/Functions[" + half + half + "]>>",
		"nothing to stitch": "<</FunctionType 3/Domain[0 1]/Bounds[]/Encode[]/Functions[]>>",
	} {
		if fn, err := functionOf(t, text); err == nil {
			t.Errorf("%s is read as %+v", name, fn)
		}
	}
}

// functionOf reads a function as it stands in a file.
func functionOf(t *testing.T, text string) (*function, error) {
	t.Helper()
	o, err := (&lexer{b: []byte(text)}).next()
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	fn, err := (&file{}).function(o)
	return fn, err
}

// A table of samples is interpolated between them, the first input varying fastest
// (ISO 32000-1, 7.10.2): 3 × 2 samples, whose values are worked out by hand.
func TestSampledFunctions(t *testing.T) {
	sampled := func(dict string, data ...byte) *function {
		t.Helper()
		o, err := (&lexer{b: []byte("<</FunctionType 0 " + dict + ">>")}).next()
		if err != nil {
			t.Fatal(err)
		}
		f := &file{}
		d := f.dict(o)
		domain, _ := f.numbers(d["Domain"])
		fn := &function{in: len(domain) / 2, domain: domain}
		if err := f.sampled(fn, &stream{dict: d, raw: data}); err != nil {
			t.Fatal(err)
		}
		return fn
	}
	check := func(name string, fn *function, in []float64, want ...float64) {
		t.Helper()
		got := fn.f(in)
		if len(got) != len(want) {
			t.Fatalf("%s: %v, want %v", name, got, want)
		}
		for i := range want {
			if math.Abs(got[i]-want[i]) > 1e-9 {
				t.Errorf("%s: f(%v) is %v, want %v", name, in, got, want)
			}
		}
	}
	// Rows of the second input: 0 51 255, then 255 204 0; as shares 0 0.2 1, 1 0.8 0.
	grid := sampled("/Domain[0 1 0 1]/Range[0 1]/Size[3 2]/BitsPerSample 8", 0, 51, 255, 255, 204, 0)
	check("corners", grid, []float64{0, 0}, 0)
	check("corners", grid, []float64{1, 0}, 1)
	check("corners", grid, []float64{0, 1}, 1)
	check("corners", grid, []float64{1, 1}, 0)
	check("the middle of a row", grid, []float64{0.5, 0}, 0.2)
	check("a quarter along", grid, []float64{0.25, 0}, 0.1)
	check("a quarter along, three quarters up", grid, []float64{0.25, 0.75}, 0.25*0.1+0.75*0.9)
	// Two values a sample, a domain and a range of their own.
	pair := sampled("/Domain[2 4]/Range[0 10 -1 1]/Size[2]/BitsPerSample 8", 0, 255, 255, 0)
	check("two values", pair, []float64{2}, 0, 1)
	check("two values", pair, []float64{2.5}, 2.5, 0.5)
	check("two values", pair, []float64{4}, 10, -1)
	// Encode turns the table round, Decode what comes out of it.
	turned := sampled("/Domain[0 1]/Range[0 1]/Size[3]/BitsPerSample 8/Encode[2 0]/Decode[0 2]", 0, 51, 255)
	check("turned round", turned, []float64{0}, 2)
	check("turned round", turned, []float64{0.5}, 0.4)
	check("turned round", turned, []float64{0.75}, 0.2)
	if len(turned.breaks) != 1 || turned.breaks[0] != 0.5 || !turned.straight {
		t.Errorf("it bends at %v", turned.breaks)
	}
	// Four bits a sample, and one sample alone.
	check("four bits", sampled("/Domain[0 1]/Range[0 15]/Size[2]/BitsPerSample 4", 0x3c), []float64{0.5}, 7.5)
	check("a single sample", sampled("/Domain[0 1]/Range[0 1]/Size[1]/BitsPerSample 8", 51), []float64{0.7}, 0.2)
}
