package pdf

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"dyekit/core/finding"
)

// Every operator and key that other readers know is in the table (testdata/names.txt tells
// whose lists they are), and operators take as many numbers as theirs.
func TestTableIsWhole(t *testing.T) {
	b, err := os.ReadFile("testdata/names.txt")
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]kind{"state": aState, "mask": aMask, "picture": aPicture, "form": aForm, "group": aGroup, "page": aPage, "tiling": aTiling, "shaded": aShaded, "shading": aShading,
		"function": aFunction, "font": aFont, "descriptor": aDescriptor, "layer": aLayer, "member": aMember, "layers": someLayers, "setting": aSetting}
	ops, all := map[string]bool{}, 0
	for line := range strings.Lines(string(b)) {
		f := strings.Fields(line)
		switch {
		case f[0] == "#":
		case f[0] == "operator":
			o, ok := pageOperators[f[1]]
			if !ok {
				t.Errorf("the operator %s is not in the table", f[1])
			}
			if ops[f[1]] = true; o.nums > 0 && fmt.Sprint(o.nums) != f[2] {
				t.Errorf("%s takes %s operands, and %d numbers in the table", f[1], f[2], o.nums)
			}
		default:
			if all++; keys[kinds[f[0]]][name(f[1])] == unknown {
				t.Errorf("the key %s of %s is not in the table", f[1], f[0])
			}
		}
	}
	if len(ops) != len(pageOperators) || all < 100 {
		t.Errorf("%d operators published, %d in the table; %d keys", len(ops), len(pageOperators), all)
	}
}

// A drawn operator does something: none of those in the table is left to nobody. Text and
// inline images are read elsewhere, and marks change nothing by themselves.
func TestDrawnOperatorsAreCarriedOut(t *testing.T) {
	src := ""
	for _, f := range []string{"run.go", "text.go"} {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		src += string(b)
	}
	elsewhere := strings.Fields("ID EI BT ET Tc Tw Tz TL Ts Td TD Tm T*")
	for op, o := range pageOperators {
		if o.fate == drawn && !slices.Contains(elsewhere, op) && !strings.Contains(src, fmt.Sprintf("%q", op)) {
			t.Errorf("nobody carries %s out", op)
		}
	}
}

// What is in no list stops, and so does what would have to be drawn; what writers add for
// themselves, what is null and what a device alone sees does not.
func TestWhatIsNotListedStops(t *testing.T) {
	const paint = " 1 0 0 rg 10 10 80 60 re f"
	picture := func(more string) string {
		return "q 80 0 0 60 10 10 cm BI /W 1 /H 1 /CS /RGB /BPC 8 /F /AHx " + more + " ID ff0000> EI Q"
	}
	half := "<</FunctionType 2/Domain[0 1]/N 1/C0[%s]/C1[%s]>>"
	for what, c := range map[string]struct {
		res, content string
		want         string // in the finding that stops; empty if none does
	}{
		"plain":                       {"", paint, ""},
		"an operator of nobody":       {"", "5 zoom" + paint, `"zoom"`},
		"where it may be passed over": {"", "BX 5 zoom BX q EX Q 1 zip EX" + paint, ""},
		"after that":                  {"", "BX EX EX 5 zoom" + paint, `"zoom"`},
		"a device's operators":        {"", "/Perceptual ri 50 i" + paint, ""},
		"a state":                     {"/ExtGState<</G<</Type/ExtGState/SA true/SM .02/OPM 1/HT/Default/FL 1>>>>", "/G gs" + paint, ""},
		"a state's unknown key":       {"/ExtGState<</G<</Glow 5>>>>", "/G gs" + paint, `"/Glow"`},
		"null":                        {"/ExtGState<</G<</Glow null>>>>", "/G gs" + paint, ""},
		"a writer's own":              {"/ExtGState<</G<</ACME_Glow 5/XXGlow 1/ACME:Note(x)>>>>", "/G gs" + paint, ""},
		"a picture":                   {"", picture("/Intent /Perceptual /I true"), ""},
		"a picture's unknown key":     {"", picture("/Frame 2") + paint, `"/Frame"`},
		"tones of a press":            {"/ExtGState<</G<</TR " + fmt.Sprintf(half, "0.1", "1") + ">>>>", "/G gs" + paint, ""},
		"tones turned round":          {"/ExtGState<</G<</TR " + fmt.Sprintf(half, "1", "0") + ">>>>", "/G gs" + paint, "tones"},
		"one of four turned round":    {"/ExtGState<</G<</TR[/Identity/Identity " + fmt.Sprintf(half, "1", "0") + "/Identity]>>>>", "/G gs" + paint, "tones"},
		"TR2 counts more":             {"/ExtGState<</G<</TR " + fmt.Sprintf(half, "1", "0") + "/TR2/Default>>>>", "/G gs" + paint, ""},
		"TR2 turned round":            {"/ExtGState<</G<</TR/Identity/TR2 " + fmt.Sprintf(half, "1", "0") + ">>>>", "/G gs" + paint, "tones"},
		"a mask without shapes":       {"/ExtGState<</G<</SMask<</S/Alpha>>>>>>", "/G gs" + paint, "soft mask"},
		"a pattern of no type":        {"/Pattern<</P<</PatternType 7>>>>", "/Pattern cs /P scn 10 10 80 60 re f 1 0 0 rg" + paint, "pattern"},
		"a function's unknown key":    {"/ExtGState<</G<</TR<</FunctionType 2/Domain[0 1]/N 1/Wobble 3>>>>>>", "/G gs" + paint, "transfer"},
		"a font's unknown key":        {"/Font<</F<</Type/Font/Subtype/Type3/FontBBox[0 0 9 9]/FontMatrix[.1 0 0 .1 0 0]/CharProcs<<>>/Encoding<<>>/Melt 2>>>>", "BT /F 9 Tf (a) Tj ET" + paint, `"/Melt"`},
		"a pattern's state":           {"/Pattern<</P<</PatternType 2/Shading<</ShadingType 2/ColorSpace/DeviceGray/Coords[0 0 9 9]/Function" + fmt.Sprintf(half, "1", "0") + ">>/ExtGState<</ca .5>>>>>>", "/Pattern cs /P scn 10 10 80 60 re f" + paint, `"/ExtGState"`},
	} {
		page, fs := mustRead(t, (&doc{}).file("", "/Resources<<"+c.res+">>", c.content), Options{})
		f, stop := fs.Stopping()
		if stop != (c.want != "") || !strings.Contains(f.Message, c.want) {
			t.Errorf("%s: %v %s, want %q", what, stop, f.Message, c.want)
		}
		if c.want == "" && len(page.Nodes) == 0 {
			t.Errorf("%s: nothing is painted", what)
		}
	}
}

// What viewers pass over for want of what it needs is said, as nobody can tell what was
// meant; and so is what stands for something finer.
func TestWhatIsLackingIsSaid(t *testing.T) {
	const paint = " 1 0 0 rg 10 10 80 60 re f"
	d := &doc{}
	piece := d.stream("/Type/XObject/Subtype/Form/BBox[0 0 9 9]/OPI<</2.0<<>>>>", "0 0 9 9 re f")
	alternate := d.stream("/Type/XObject/Subtype/Image/Width 1/Height 1/ColorSpace/DeviceGray/BitsPerComponent 8/Filter/ASCIIHexDecode/Alternates[<</DefaultForPrinting true>>]", "80>")
	data := d.file("", "/Resources<</XObject<</P "+piece+"/A "+alternate+">>>>", "/G gs"+paint, "/X Do"+paint, "/Pattern cs /P scn 0 0 9 9 re f"+paint, "1 2 (x) m 5 6 7 8 9 c"+paint, "/P Do", "q 9 0 0 9 0 0 cm /A Do Q", paint)
	for page, want := range []string{`names "G"`, `names "X"`, `names "P"`, "without its numbers", "stands in", "in print", ""} {
		_, fs := mustRead(t, data, Options{Page: page + 1})
		said := ""
		for _, f := range fs {
			if f.Severity != finding.Warn {
				t.Errorf("page %d: %s: %s", page+1, f.Severity, f.Message)
			}
			said += f.Message
		}
		if !strings.Contains(said, want) || want == "" && said != "" {
			t.Errorf("page %d: %q, want %q", page+1, said, want)
		}
	}
}

// A layer that is for nothing that its setting is for hides nothing (section 8.11.2.3), and
// what is not known of layers stops.
func TestIntents(t *testing.T) {
	for of, shown := range map[string]bool{"": false, "/Intent/View": false, "/Intent/Design": true, "/Intent[/Design/View]": false} {
		d := &doc{}
		off := d.add("<</Type/OCG/Name(Off)" + of + ">>")
		page, _ := mustRead(t, d.file("/OCProperties<</OCGs["+off+"]/D<</OFF["+off+"]>>>>", "/Resources<</Properties<</M "+off+">>>>", "0 1 0 rg 0 0 9 9 re f /OC /M BDC 1 0 0 rg 20 20 9 9 re f EMC"), Options{})
		if got := len(page.Nodes) == 2; got != shown {
			t.Errorf("%q: shown %v, want %v", of, got, shown)
		}
	}
	for _, odd := range []string{"/OCProperties<</OCGs[OFF]/D<<>>/Shy 1>>", "/OCProperties<</OCGs[OFF]/D<</Shy 1>>>>", "/OCProperties<</OCGs[<</Type/OCG/Name(x)/Shy 1>>]/D<<>>>>"} {
		d := &doc{}
		off := d.add("<</Type/OCG/Name(Off)>>")
		_, fs := mustRead(t, d.file(strings.ReplaceAll(odd, "OFF", off), "", "0 0 9 9 re f"), Options{})
		if f, stop := fs.Stopping(); !stop || !strings.Contains(f.Message, "/Shy") {
			t.Errorf("%s: %v %q", odd, stop, f.Message)
		}
	}
}

// A membership may say by an expression when it shows (section 8.11.2.2).
func TestVisibilityExpressions(t *testing.T) {
	for ve, shown := range map[string]bool{
		"[/Not ON]": false, "[/Not OFF]": true, "[/And ON OFF]": false, "[/Or ON OFF]": true, "[/And ON ON]": true, "[/Or OFF OFF]": false,
		"[/And ON[/Not OFF]]": true, "[/Or OFF[/Not[/Or ON OFF]]]": false,
	} {
		d := &doc{}
		on, off := d.add("<</Type/OCG/Name(On)>>"), d.add("<</Type/OCG/Name(Off)>>")
		expr := strings.NewReplacer("ON", on, "OFF", off).Replace(ve)
		data := d.file("/OCProperties<</OCGs["+on+" "+off+"]/D<</OFF["+off+"]>>>>", "/Resources<</Properties<</M<</Type/OCMD/OCGs["+off+"]/VE "+expr+">>>>>>", "0 1 0 rg 0 0 9 9 re f /OC /M BDC 1 0 0 rg 20 20 9 9 re f EMC")
		page, _ := mustRead(t, data, Options{})
		if got := len(page.Nodes) == 2; got != shown {
			t.Errorf("%s: shown %v, want %v", ve, got, shown)
		}
	}
}
