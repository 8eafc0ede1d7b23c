package readback

import (
	"bytes"
	"compress/zlib"
	"encoding/ascii85"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/image/tiff/lzw"

	"dyekit/core/colour"
	"dyekit/core/drawing"
	"dyekit/core/geom"
)

// noResources is what an EPS file has; shadings stand in it where they are
// painted.
type noResources struct {
	shade    dict
	spots    map[string]colour.Colour
	mixtures map[string]mixture
}

func (noResources) state(string, *machine) error { return errors.New("EPS has no opacity") }
func (r noResources) shading(string) (*drawing.Gradient, error) {
	name, _ := r.shade["/ColorSpace"].(string)
	if c, ok := r.spots[strings.TrimPrefix(name, "/")]; ok {
		return shadingOf(r.shade, 1, func(v []float64) (colour.Colour, error) { return inked(c, v[0]), nil })
	}
	if x, ok := r.mixtures[strings.TrimPrefix(name, "/")]; ok {
		return shadingOf(r.shade, len(x.plates), x.colour)
	}
	return deviceShading(r.shade)
}
func (noResources) object(string, *machine) error { return errors.New("EPS has no objects") }

var (
	// The spaces of gradients (see ramp in core/export/eps) stand after those of plain colours.
	rampRE      = regexp.MustCompile(`(?m)^/(R|M)(\d+) (\[.*\]) def$`)
	rampUsedRE  = regexp.MustCompile(`/ColorSpace ([RM]\d+)/`)
	plateRE     = regexp.MustCompile(`(?m)^/(S\d+)\{\[/Separation \((.*)\)/DeviceCMYK\{dup ([\d.]+) mul exch dup ([\d.]+) mul exch dup ([\d.]+) mul exch ([\d.]+) mul\}\]`)
	mixtureRE   = regexp.MustCompile(`(?m)^/(D\d+)\{languagelevel 3 ge\{\[/DeviceN\[(.*)\]/DeviceCMYK\{([^{}]*)\}\]setcolorspace setcolor\}\{([^{}]*) setcmykcolor\}ifelse\}bind def$`)
	plateNameRE = regexp.MustCompile(`\(((?:\\.|[^\\()])*)\)cvn`)
	imageRE     = regexp.MustCompile(`/Width (\d+)/Height (\d+)/`)
)

// EPS reads a file and holds its comments to DSC 3.0: the header that says
// what it is, whole-point and exact bounding boxes, no fonts, no device setup.
func EPS(b []byte) (Page, error) {
	s := string(b)
	if !strings.HasPrefix(s, "%!PS-Adobe-3.0 EPSF-3.0\n") {
		return Page{}, errors.New("it does not begin as an EPS file of version 3.0")
	}
	if !strings.HasSuffix(s, "%%EOF\n") {
		return Page{}, errors.New("it does not end with EOF")
	}
	whole, err := comment(s, "%%BoundingBox:")
	if err != nil {
		return Page{}, err
	}
	exact, err := comment(s, "%%HiResBoundingBox:")
	if err != nil {
		return Page{}, err
	}
	for i, v := range whole {
		want := math.Floor(exact[i] + 1e-4)
		if i > 1 {
			want = math.Ceil(exact[i] - 1e-4)
		}
		if v != want {
			return Page{}, errors.New("its whole-point bounding box is not the exact one rounded outwards")
		}
	}
	for _, c := range []string{"%%LanguageLevel:", "%%EndComments", "%%EndProlog"} {
		if !strings.Contains(s, "\n"+c) {
			return Page{}, fmt.Errorf("the comment %s is missing", c)
		}
	}
	facts := Facts{W: exact[2], H: exact[3]}
	for _, w := range []string{"findfont", "selectfont", "definefont"} {
		facts.Fonts += strings.Count(s, w)
	}
	if strings.Contains(s, "setpagedevice") {
		return Page{}, errors.New("it sets up the device")
	}
	prolog, body, ok := strings.Cut(s, "%%Page: 1 1\ndyekit begin\ngsave\n")
	if !ok {
		return Page{}, errors.New("its page is missing")
	}
	body, _, ok = strings.Cut(body, "grestore\nend\nshowpage\n")
	if !ok {
		return Page{}, errors.New("its page does not end")
	}
	m := &machine{state: state{ctm: geom.Affine{A: 1, D: -1, F: facts.H}, alpha: 1}, facts: &facts, res: noResources{}, spots: map[string]colour.Colour{}, mixtures: map[string]mixture{}}
	for _, p := range plateRE.FindAllStringSubmatch(prolog, -1) {
		var v [4]float64
		for i := range v {
			if v[i], err = strconv.ParseFloat(p[3+i], 64); err != nil {
				return Page{}, err
			}
		}
		c := built(v[:])
		c.Spot = unescaped(p[2])
		m.spots[p[1]] = c
	}
	for _, p := range mixtureRE.FindAllStringSubmatch(prolog, -1) {
		if p[3] != p[4] {
			return Page{}, errors.New("a mixture of plates is shown in two ways")
		}
		x := mixture{show: p[3]}
		for _, n := range plateNameRE.FindAllStringSubmatch(p[2], -1) {
			x.plates = append(x.plates, unescaped(n[1]))
		}
		m.mixtures[p[1]] = x
	}
	ramps := noResources{spots: map[string]colour.Colour{}, mixtures: map[string]mixture{}}
	for _, p := range rampRE.FindAllStringSubmatch(prolog, -1) {
		plain := map[string]string{"R": "/S" + p[2] + "{" + p[3], "M": "/D" + p[2] + "{languagelevel 3 ge{" + p[3]}[p[1]]
		if !strings.Contains(prolog, "\n"+plain+"setcolorspace") {
			return Page{}, errors.New("a gradient lies in other plates than the colours beside it")
		}
		if c, ok := m.spots["S"+p[2]]; ok && p[1] == "R" {
			ramps.spots[p[1]+p[2]] = c
		} else if x, ok := m.mixtures["D"+p[2]]; ok && p[1] == "M" {
			ramps.mixtures[p[1]+p[2]] = x
		}
	}
	for {
		before, rest, found := strings.Cut(body, "<</ImageType 1")
		if err := m.epsTokens(before, ramps); err != nil {
			return Page{}, err
		}
		if !found {
			break
		}
		head, data, ok := strings.Cut(rest, ">>image\n")
		data, after, ok2 := strings.Cut(data, "~>\n")
		if !ok || !ok2 {
			return Page{}, errors.New("an image does not end")
		}
		if err := m.epsImage(head, data); err != nil {
			return Page{}, err
		}
		body = after
	}
	if len(m.saved) > 0 {
		return Page{}, errors.New("gsave without grestore")
	}
	if err := m.told(s); err != nil {
		return Page{}, err
	}
	page := geom.Rect{X1: facts.W, Y1: facts.H}
	return Page{&drawing.Drawing{Page: page, Nodes: m.out.Nodes}, facts}, nil
}

var escapeRE = regexp.MustCompile(`\\([0-7]{3}|.)`)

// unescaped is what a string of PostScript says (Red Book section 3.2.2), as far
// as it is written here.
func unescaped(s string) string {
	return escapeRE.ReplaceAllStringFunc(s, func(e string) string {
		if len(e) == 4 {
			n, _ := strconv.ParseUint(e[1:], 8, 16) // three digits by the pattern
			return string([]byte{byte(n)})
		}
		return e[1:]
	})
}

// epsTokens runs operators, with the shadings between them.
func (m *machine) epsTokens(s string, ramps noResources) error {
	for {
		head, rest, found := strings.Cut(s, "<</ShadingType")
		if err := m.tokens(head); err != nil || !found {
			return err
		}
		body, after, ok := strings.Cut(rest, ">>shfill\n")
		if !ok {
			return errors.New("a shading does not end")
		}
		body = rampUsedRE.ReplaceAllString(body, "/ColorSpace/$1/")
		o, err := (&scan{b: []byte("<</ShadingType" + body + ">>")}).object()
		if err != nil {
			return err
		}
		ramps.shade, _ = o.(dict)
		m.res = ramps
		if err := m.shade(""); err != nil {
			return err
		}
		s = after
	}
}

func comment(s, name string) ([]float64, error) {
	_, rest, ok := strings.Cut(s, "\n"+name)
	line, _, _ := strings.Cut(rest, "\n")
	f := strings.Fields(line)
	if !ok || len(f) != 4 {
		return nil, fmt.Errorf("the comment %s is missing", name)
	}
	v := make([]float64, 4)
	for i := range f {
		var err error
		if v[i], err = strconv.ParseFloat(f[i], 64); err != nil {
			return nil, fmt.Errorf("the comment %s: %w", name, err)
		}
	}
	return v, nil
}

// told holds the inks that the head tells (DSC 3.0, section 5.2 and EPSF 3.0) to those that
// are painted with.
func (m *machine) told(s string) error {
	head, _, _ := strings.Cut(s, "\n%%EndComments")
	var process []string
	plates, key := map[string]string{}, ""
	custom := map[string]bool{}
	for line := range strings.Lines(head) {
		k, v, _ := strings.Cut(strings.TrimSpace(line), " ")
		if k == "%%+" {
			k = key
		}
		switch key = k; k {
		case "%%DocumentProcessColors:":
			process = strings.Fields(v)
		case "%%DocumentCustomColors:":
			custom[v] = true
		case "%%CMYKCustomColor:":
			if f := strings.SplitN(v, " ", 5); len(f) == 5 {
				plates[f[4]] = strings.Join(f[:4], " ")
			}
		}
	}
	var inks [4]float64
	add := func(b colour.CMYK) {
		for i, v := range [4]float64{b.C, b.M, b.Y, b.K} {
			inks[i] = max(inks[i], v)
		}
	}
	for _, b := range m.facts.Builds {
		add(b)
	}
	add(m.facts.process)
	var want []string
	for i, n := range []string{"Cyan", "Magenta", "Yellow", "Black"} {
		if inks[i] > 0 {
			want = append(want, n)
		}
	}
	if !slices.Equal(process, want) {
		return fmt.Errorf("its head tells the process inks %v, and it is painted with %v", process, want)
	}
	if len(custom) != len(m.facts.Plates) || len(plates) != len(m.facts.Plates) {
		return fmt.Errorf("its head tells %d plates, and it is painted with %d", len(custom), len(m.facts.Plates))
	}
	for name, build := range plates {
		i := slices.IndexFunc(m.facts.Plates, func(p string) bool { return strings.HasPrefix("("+p, strings.TrimSuffix(unescaped(name), ")")) })
		if i < 0 || !custom[name] {
			return fmt.Errorf("its head tells a plate %s that it is not painted with", name)
		}
		var v [4]float64
		if _, err := fmt.Sscan(build, &v[0], &v[1], &v[2], &v[3]); err != nil || !slices.ContainsFunc(m.facts.alternates[m.facts.Plates[i]], func(k colour.CMYK) bool { return nearly(k, built(v[:]).Build) }) {
			return fmt.Errorf("its head shows the plate %s by another build than the page", name)
		}
	}
	return nil
}

// nearly compares builds to within the decimals that are written.
func nearly(a, b colour.CMYK) bool {
	return max(math.Abs(a.C-b.C), math.Abs(a.M-b.M), math.Abs(a.Y-b.Y), math.Abs(a.K-b.K)) < 0.02
}

// epsImage places an image in the colour space that was set before it.
func (m *machine) epsImage(head, data string) error {
	size := imageRE.FindStringSubmatch(head)
	if size == nil {
		return errors.New("an image does not say its size")
	}
	w, _ := strconv.Atoi(size[1]) // digits by the pattern
	h, _ := strconv.Atoi(size[2])
	packed, err := io.ReadAll(ascii85.NewDecoder(strings.NewReader(data)))
	if err != nil {
		return err
	}
	samples, err := unpack(head, packed, w)
	if err != nil {
		return err
	}
	return m.picture(w, h, m.space, m.spots[m.space], samples, nil)
}

// unpack undoes the filter of an image.
func unpack(head string, packed []byte, wide int) ([]byte, error) {
	switch {
	case strings.Contains(head, "/RunLengthDecode"):
		return runLengthDecode(packed)
	case strings.Contains(head, "/LZWDecode"): // as TIFF has it: high bits first, codes widened early
		r := lzw.NewReader(bytes.NewReader(packed), lzw.MSB, 8)
		defer r.Close()
		return io.ReadAll(r)
	case strings.Contains(head, "/FlateDecode"):
		r, err := zlib.NewReader(bytes.NewReader(packed))
		if err != nil {
			return nil, err
		}
		defer r.Close()
		data, err := io.ReadAll(r)
		if m := predictorRE.FindStringSubmatch(head); err == nil && m != nil {
			n, _ := strconv.Atoi(m[1]) // a digit by the pattern
			return unsub(data, wide, n)
		}
		return data, err
	}
	return nil, errors.New("an image is packed in a way that is not known")
}

var predictorRE = regexp.MustCompile(`/Predictor 11/Colors ([34])/Columns`)

// unsub undoes PNG's filters None and Sub (PNG, section 9.2).
func unsub(data []byte, wide, n int) (out []byte, err error) {
	for row := wide*n + 1; len(data) >= row; data = data[row:] {
		line := data[1:row]
		switch data[0] {
		case 0:
		case 1:
			for i := n; i < len(line); i++ {
				line[i] += line[i-n]
			}
		default:
			return nil, fmt.Errorf("a row of an image has the filter %d", data[0])
		}
		out = append(out, line...)
	}
	return out, nil
}

// runLengthDecode is the filter of that name (PostScript Language Reference, 3.13.3):
// a length of 0 to 127 copies one byte more than it says, one of 129 to 255 repeats the
// next byte 257 less it times, and 128 ends the data, which may also just end.
func runLengthDecode(packed []byte) ([]byte, error) {
	var out bytes.Buffer
	for i := 0; i < len(packed) && packed[i] != 128; {
		n := int(packed[i])
		i++
		switch {
		case n < 128 && i+n+1 <= len(packed):
			out.Write(packed[i : i+n+1])
			i += n + 1
		case n > 128 && i < len(packed):
			out.Write(bytes.Repeat(packed[i:i+1], 257-n))
			i++
		default:
			return nil, errors.New("the runs of an image are broken")
		}
	}
	return out.Bytes(), nil
}
