package pdf

import (
	"bytes"
	"compress/lzw"
	"encoding/ascii85"
	"encoding/hex"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// keep leaves both pictures where DYEKIT_KEEP says, to be looked at.
func keep(t testing.TB, what string, got, want image.Image) {
	dir := os.Getenv("DYEKIT_KEEP")
	if dir == "" {
		return
	}
	for k, img := range map[string]image.Image{"got": got, "want": want} {
		var b bytes.Buffer
		if err := png.Encode(&b, img); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, strings.ReplaceAll(what, " ", "-")+"."+k+".png"), b.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}

const (
	linear = "/FunctionType 2/Domain[0 1]/N 1"
	ramp   = "<<" + linear + "/C0[1 0 0]/C1[0 0 1]>>"
	// three colours with a bend, a jump and a turned piece
	stitched = "<</FunctionType 3/Domain[0 1]/Bounds[.3 .6]/Encode[0 1 1 0 0 1]/Functions[<<" + linear + "/C0[1 0 0]/C1[1 1 0]>><<" + linear + "/C0[0 0 1]/C1[0 1 0]>><</FunctionType 2/Domain[0 1]/N 2.5/C0[0 0 0]/C1[1 .5 0]>>]>>"
)

// Everything that paints, drawn as poppler and mupdf draw it.
func TestPagesLikeOtherReaders(t *testing.T) {
	samples := map[string]sample{
		"paths and rules": {"", "1 0 0 rg 10 10 m 90 10 l 20 80 l 50 5 l 80 80 l h f* 0 0 1 rg 110 10 m 190 10 l 120 80 l 150 5 l 180 80 l h f", "", 0, 0},
		"curves":          {"", ".2 .5 .3 rg 10 50 m 30 90 60 90 v 90 10 10 10 y h b 100 20 60 50 re S 0 .3 .7 RG 3 w 110 30 40 20 re s", "", 0, 0},
		"strokes": {"", "8 w 0 J 0 j 10 20 m 40 80 l 70 20 l S 1 J 1 j 80 20 m 110 80 l 140 20 l S 2 J 2 j [12 14 2] 5 d 2 w 150 10 m 190 90 l S 3 M 0 j [] 0 d 6 w 150 90 m 156 60 l 162 90 l S",
			"", 0, 0},
		"turned pens":       {"", "q 2 .3 -.4 .5 40 20 cm 10 w 1 j 0 0 m 30 40 l 60 0 l S Q", "", 0, 0},
		"clips":             {"", "q 20 20 m 100 90 l 180 20 l h W n 0 .6 .2 rg 0 0 200 60 re f q 60 0 30 100 re W* n 1 0 0 rg 0 0 200 100 re f Q Q .5 g 0 0 12 12 re f", "", 0, 0},
		"empty clip":        {"", "q 0 0 0 0 re W n 1 0 0 rg 0 0 200 100 re f Q 0 0 1 rg 10 10 20 20 re f", "", 0, 0},
		"opacity":           {"/ExtGState<</A<</ca .4/CA .7>>>>", "1 0 0 rg 10 10 90 80 re f /A gs 0 0 1 rg 0 .5 0 RG 10 w 60 30 80 50 re B", "mupdf", 0, 0},
		"blends":            {"/ExtGState<</M<</BM/Multiply>>/S<</BM/Screen>>/D<</BM[/Nothing/Difference]>>/L<</BM/Luminosity>>>>", ".9 .3 .2 rg 0 20 200 60 re f .3 .6 .9 rg /M gs 10 10 40 80 re f /S gs 60 10 40 80 re f /D gs 110 10 40 80 re f /L gs 155 10 40 80 re f", "poppler", 0, 0}, // mupdf takes no list of modes
		"axial":             {"/Shading<</A<</ShadingType 2/ColorSpace/DeviceRGB/Coords[40 50 160 70]/Function " + ramp + "/Extend[true true]>>>>", "q 10 10 180 80 re W n /A sh Q", "", 0, 0},
		"axial, ends":       {"/Shading<</A<</ShadingType 2/ColorSpace/DeviceRGB/Coords[60 0 140 30]/Function " + ramp + "/Extend[false true]>>>>", "q 10 10 180 80 re W n /A sh Q", "", 0, 0},
		"axial, bent":       {"/Shading<</A<</ShadingType 2/ColorSpace/DeviceRGB/Coords[0 0 200 0]/Function " + stitched + "/Extend[true true]>>>>", "q 0 0 200 100 re W n /A sh Q", "", 0, 0.01},
		"radial":            {"/Shading<</A<</ShadingType 3/ColorSpace/DeviceRGB/Coords[80 60 5 100 50 45]/Function " + ramp + "/Extend[false false]>>>>", "q 0 0 200 100 re W n /A sh Q", "", 0, 0},
		"radial, on":        {"/Shading<</A<</ShadingType 3/ColorSpace/DeviceRGB/Coords[90 50 0 100 50 45]/Function " + ramp + "/Extend[true true]>>>>", "q 10 10 180 80 re W n /A sh Q", "", 0, 0},
		"radial, apart":     {"/Shading<</A<</ShadingType 3/ColorSpace/DeviceRGB/Coords[40 50 10 140 50 30]/Function " + ramp + "/Extend[false false]>>>>", "q 0 0 200 100 re W n /A sh Q", "", 16, 0.012},
		"shading in a path": {"/Pattern<</P<</PatternType 2/Matrix[1 .2 0 1 10 0]/Shading<</ShadingType 2/ColorSpace/DeviceRGB/Coords[20 0 160 0]/Background[.8 .8 .8]/Function " + ramp + ">>>>>>", "/Pattern cs /P scn 100 50 m 190 50 l 100 95 l 10 50 l 100 5 l h f", "", 0, 0},
		"by function":       {"/Shading<</A<</ShadingType 1/ColorSpace/DeviceRGB/Domain[0 1 0 1]/Matrix[100 20 0 80 40 5]/Function FN>>>>", "q 0 0 200 100 re W n /A sh Q", "", 16, 0.02},
		"tiles":             {"/Pattern<</P TILE>>", "/Pattern cs /P scn 20 10 160 80 re f", "", 16, 0.02},
		"bare tiles":        {"/Pattern<</P BARE>>/ColorSpace<</C[/Pattern/DeviceRGB]>>", "/C cs 0 .5 .3 /P scn 20 10 70 80 re f .8 .2 0 /P scn 110 10 70 80 re f", "", 16, 0.02},
		"group":             {"/XObject<</G GROUP>>/ExtGState<</H<</ca .5>>>>", "0 0 0 rg 0 40 200 20 re f /H gs /G Do", "", 0, 0},
		"knockout":          {"/XObject<</G KNOCK>>", "0 0 0 rg 0 40 200 20 re f /G Do", "", 0, 0},
		"isolated":          {"/XObject<</G ISOLATED>>", "1 .8 0 rg 0 20 200 60 re f /G Do", "", 0, 0},
		"mask by light":     {"/ExtGState<</M<</SMask<</S/Luminosity/G LIGHT>>>>>>", "q /M gs 0 .4 .8 rg 0 0 200 100 re f Q", "", 0, 0},
		"mask by backing":   {"/ExtGState<</M<</SMask<</S/Luminosity/G LIGHT/BC[1]>>>>>>", "q /M gs 0 .4 .8 rg 0 0 200 100 re f Q", "mupdf", 0, 0},
		"mask turned":       {"/ExtGState<</M<</SMask<</S/Luminosity/G LIGHT/TR<</FunctionType 2/Domain[0 1]/N 1/C0[1]/C1[0]>>>>>>>>", "q /M gs 0 .4 .8 rg 60 0 80 100 re f Q", "poppler", 0, 0},
		"mask by opacity":   {"/ExtGState<</M<</SMask<</S/Alpha/G VEIL>>>>>>", "q /M gs 0 .4 .8 rg 0 0 200 100 re f Q", "", 0, 0},
		"form":              {"/XObject<</F FORM>>", "1 0 0 rg q 1 0 0 1 100 0 cm /F Do Q .5 0 0 .5 0 0 cm /F Do", "", 0, 0},
		"lab and calibrated": {"/ColorSpace<</L[/Lab<</WhitePoint[.9642 1 .8249]/Range[-128 127 -128 127]>>]/C[/CalRGB<</WhitePoint[.9505 1 1.089]/Gamma[2.2 2.2 2.2]/Matrix[.4124 .2126 .0193 .3576 .7152 .1192 .1805 .0722 .9505]>>]/G[/CalGray<</WhitePoint[.9505 1 1.089]/Gamma 2.2>>]>>",
			"/L cs 60 50 30 sc 0 0 60 100 re f /C cs .8 .4 .1 sc 70 0 60 100 re f /G cs .5 sc 140 0 60 100 re f", "mupdf", 14, 0},
	}
	for what, s := range samples {
		d := &doc{}
		res := s.res
		for name, make := range map[string]func() string{
			"FN": func() string {
				return d.stream("/FunctionType 4/Domain[0 1 0 1]/Range[0 1 0 1 0 1]", "{2 copy mul 3 1 roll exch dup .5 gt {pop 1} {2 mul} ifelse exch}")
			},
			"TILE": func() string {
				return d.stream("/PatternType 1/PaintType 1/TilingType 1/BBox[0 0 20 20]/XStep 24/YStep 20/Matrix[1 .3 0 1 3 0]/Resources<<>>", "1 0 0 rg 0 0 10 10 re f 0 0 1 rg 15 15 m 20 15 l 15 20 l f")
			},
			"BARE": func() string {
				return d.stream("/PatternType 1/PaintType 2/TilingType 1/BBox[0 0 10 10]/XStep 10/YStep 10/Resources<<>>", "0 0 5 5 re f")
			},
			"GROUP": func() string {
				return d.stream("/Subtype/Form/BBox[0 0 200 100]/Group<</S/Transparency>>", "1 0 0 rg 20 10 100 80 re f 0 .6 0 rg 80 20 100 60 re f")
			},
			"KNOCK": func() string {
				return d.stream("/Subtype/Form/BBox[0 0 200 100]/Group<</S/Transparency/K true>>/Resources<</ExtGState<</H<</ca .5>>>>>>", "/H gs 1 0 0 rg 20 10 100 80 re f 0 .6 0 rg 80 20 100 60 re f")
			},
			"ISOLATED": func() string {
				return d.stream("/Subtype/Form/BBox[0 0 200 100]/Group<</S/Transparency/I true>>/Resources<</ExtGState<</M<</BM/Multiply>>>>>>", "/M gs 1 0 0 rg 20 10 100 80 re f 0 .6 1 rg 80 0 100 60 re f")
			},
			"LIGHT": func() string {
				return d.stream("/Subtype/Form/BBox[20 10 180 90]/Group<</S/Transparency/CS/DeviceGray>>/Resources<</Shading<</A<</ShadingType 2/ColorSpace/DeviceGray/Coords[20 0 180 0]/Function<<"+linear+"/C0[0]/C1[1]>>>>>>>>", "/A sh")
			},
			"VEIL": func() string {
				return d.stream("/Subtype/Form/BBox[0 0 200 100]/Group<</S/Transparency/CS/DeviceRGB>>/Resources<</ExtGState<</H<</ca .3>>>>>>", "0 0 90 100 re f /H gs 90 20 100 60 re f")
			},
			"FORM": func() string {
				return d.stream("/Subtype/Form/BBox[0 0 80 80]/Matrix[1 .2 0 1 10 5]", "10 10 90 50 re f 0 0 1 RG 4 w 20 20 m 60 60 l S")
			},
		} {
			if i := strings.Index(res, name); i >= 0 && !strings.Contains(res, "/"+name) {
				res = strings.ReplaceAll(res, name, make())
			}
		}
		like(t, what, d.file("", "/Resources<<"+res+">>", s.content), s)
	}
}

// Meshes of colour (types 4 to 7) as mupdf draws them.
func TestMeshes(t *testing.T) {
	point := func(x, y float64) string { // 16 bits each, of 0 to 200
		return fmt.Sprintf("%04x%04x", int(x/200*65535), int(y/200*65535))
	}
	free := "00" + point(20, 10) + "ff0000" + "00" + point(180, 10) + "00ff00" + "00" + point(100, 90) + "0000ff" + "01" + point(195, 90) + "ffff00"
	lattice := point(10, 10) + "ff0000" + point(100, 20) + "00ff00" + point(190, 10) + "0000ff" + point(10, 90) + "ffff00" + point(100, 70) + "00ffff" + point(190, 90) + "ff00ff"
	coons := "00" + point(30, 20) + point(10, 40) + point(50, 60) + point(30, 80) + point(60, 95) + point(110, 70) + point(150, 85) + point(180, 60) + point(140, 40) + point(160, 15) + point(110, 5) + point(70, 35) +
		"ff0000" + "00ff00" + "0000ff" + "ffff00"
	tensor := "00" + point(30, 20) + point(10, 40) + point(50, 60) + point(30, 80) + point(60, 95) + point(110, 70) + point(150, 85) + point(180, 60) + point(140, 40) + point(160, 15) + point(110, 5) + point(70, 35) +
		point(60, 40) + point(60, 60) + point(130, 60) + point(120, 45) + "ff0000" + "00ff00" + "0000ff" + "ffff00"
	for kind, data := range map[int]string{4: free, 5: lattice, 6: coons, 7: tensor} {
		d := &doc{}
		b, err := hex.DecodeString(data)
		if err != nil {
			t.Fatal(err)
		}
		flag := "/BitsPerFlag 8"
		if kind == 5 {
			flag = "/VerticesPerRow 3"
		}
		sh := d.stream(fmt.Sprintf("/ShadingType %d/ColorSpace/DeviceRGB/BitsPerCoordinate 16/BitsPerComponent 8%s/Decode[0 200 0 200 0 1 0 1 0 1]", kind, flag), string(b))
		like(t, fmt.Sprint("mesh ", kind), d.file("", "/Resources<</Shading<</A "+sh+">>>>", "q 0 0 200 100 re W n /A sh Q"), sample{by: "mupdf", slack: 20, share: 0.015})
	}
}

// wheel is a picture with every hue.
func wheel(w, h int) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			a := func(k float64) uint8 { return uint8(127 + 127*math.Sin(float64(x)/5+k+float64(y)/9)) }
			img.SetNRGBA(x, y, color.NRGBA{a(0), a(2), a(4), 255})
		}
	}
	return img
}

// Pictures in all packings and kinds of samples.
func TestPictures(t *testing.T) {
	const w, h = 40, 20
	img := wheel(w, h)
	var rgb, grey, bits, four, sixteen []byte
	for y := range h {
		var row, low byte
		for x := range w {
			c := img.NRGBAAt(x, y)
			rgb = append(rgb, c.R, c.G, c.B)
			grey = append(grey, c.R)
			sixteen = append(sixteen, c.R, 0x80)
			row = row<<1 | c.R>>7
			low = low<<4 | c.R>>4
			if x%8 == 7 {
				bits = append(bits, row)
			}
			if x%2 == 1 {
				four = append(four, low)
			}
		}
	}
	var jpg, jpgGrey, a85 bytes.Buffer
	if err := jpeg.Encode(&jpg, img, &jpeg.Options{Quality: 95}); err != nil {
		t.Fatal(err)
	}
	g := image.NewGray(img.Rect)
	copy(g.Pix, grey)
	if err := jpeg.Encode(&jpgGrey, g, nil); err != nil {
		t.Fatal(err)
	}
	e := ascii85.NewEncoder(&a85)
	e.Write(rgb)
	e.Close()
	var lz bytes.Buffer
	z := lzw.NewWriter(&lz, lzw.MSB, 8) // the variant without early change
	z.Write(rgb)
	z.Close()
	size := fmt.Sprintf("/Subtype/Image/Width %d/Height %d", w, h)
	for what, s := range map[string][2]string{
		"rgb":        {"/ColorSpace/DeviceRGB/BitsPerComponent 8", string(rgb)},
		"grey":       {"/ColorSpace/DeviceGray/BitsPerComponent 8/Decode[1 0]", string(grey)},
		"one bit":    {"/ColorSpace/DeviceGray/BitsPerComponent 1", string(bits)},
		"four bits":  {"/ColorSpace[/Indexed/DeviceRGB 15<" + strings.Repeat("405060607050", 8) + ">]/BitsPerComponent 4", string(four)},
		"16 bits":    {"/ColorSpace/DeviceGray/BitsPerComponent 16", string(sixteen)},
		"jpeg":       {"/ColorSpace/DeviceRGB/BitsPerComponent 8/Filter/DCTDecode", jpg.String()},
		"grey jpeg":  {"/ColorSpace/DeviceGray/BitsPerComponent 8/Filter[/DCTDecode]", jpgGrey.String()},
		"ascii":      {"/ColorSpace/DeviceRGB/BitsPerComponent 8/Filter/ASCII85Decode", a85.String() + "~>"},
		"hex":        {"/ColorSpace/DeviceRGB/BitsPerComponent 8/Filter/ASCIIHexDecode", hex.EncodeToString(rgb) + ">"},
		"lzw":        {"/ColorSpace/DeviceRGB/BitsPerComponent 8/Filter/LZWDecode/DecodeParms<</EarlyChange 0>>", lz.String()},
		"colour key": {"/ColorSpace/DeviceRGB/BitsPerComponent 8/Mask[0 128 0 255 0 255]", string(rgb)},
		"soft mask":  {"/ColorSpace/DeviceRGB/BitsPerComponent 8/SMask SOFT", string(rgb)},
		"hard mask":  {"/ColorSpace/DeviceRGB/BitsPerComponent 8/Mask HARD", string(rgb)},
	} {
		d := &doc{}
		dict := strings.Replace(s[0], "SOFT", d.stream(size+"/ColorSpace/DeviceGray/BitsPerComponent 8", string(grey)), 1)
		dict = strings.Replace(dict, "HARD", d.stream(size+"/ImageMask true/BitsPerComponent 1", string(bits)), 1)
		x := d.stream(size+dict, s[1])
		// A point is a pixel of the picture, and three of the comparison.
		like(t, what, d.file("", "/Resources<</XObject<</I "+x+">>>>", "q 160 0 0 80 20 10 cm /I Do Q"), sample{by: "mupdf", slack: 40, share: 0.03})
	}
	d := &doc{}
	like(t, "stencil", d.file("", "/Resources<</XObject<</I "+d.stream(size+"/ImageMask true/BitsPerComponent 1", string(bits))+">>>>", "0 .5 .2 rg q 160 0 0 80 20 10 cm /I Do Q"), sample{by: "mupdf", slack: 40, share: 0.06})
	d = &doc{}
	like(t, "inline", d.file("", "", "q 160 0 0 80 20 10 cm BI /W 40 /H 20 /CS /RGB /BPC 8 /F /AHx ID "+hex.EncodeToString(rgb)+"> EI Q 1 0 0 rg 0 0 9 9 re f"), sample{by: "mupdf", slack: 40, share: 0.03})
}
