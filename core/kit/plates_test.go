package kit

import (
	"bytes"
	"strings"
	"testing"

	"dyekit/core/kit/outside"
	"dyekit/core/kit/readback"
	"dyekit/core/version"
)

// Plates keep their names whatever letters these have, and two names that differ
// in such letters alone stay two plates, in PDF and in EPS (ISO 32000-1 section
// 7.3.5, PostScript Language Reference section 3.2.2).
func TestPlateNamesBeyondASCII(t *testing.T) {
	names := []string{"Grün (matt)", "Grin (matt)", `Back\slash`, "墨 100 %"}
	art := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 80 20"><rect width="20" height="20" fill="#116633"/><rect x="20" width="20" height="20" fill="#224488"/><rect x="40" width="20" height="20" fill="#883311"/><rect x="60" width="20" height="20" fill="#222222"/></svg>`
	drawn := []string{"#116633", "#224488", "#883311", "#222222"}
	in := Input{Master: []byte(art), MasterName: "x.svg", Brand: "Pier", Readers: outside.All,
		Recipe: parse(t, `{"name":"x","naming":"{brand}_{version}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"}],"files":[{"format":"pdf","colour":"cmyk","standard":"pdfx4"},{"format":"eps","colour":"cmyk"}]}`)}
	for i, n := range names {
		in.Inks = append(in.Inks, version.InkMapping{Ink: version.Ink{Name: "Ink", RGB: drawn[i], CMYK: &[4]float64{float64(10 * i), 50, 20, 30}, Spot: n}, Drawn: drawn[i]})
		in.Inks[i].Name = "Ink " + string(rune('A'+i))
	}
	k := build(t, in)
	if len(k.Files) != 2 {
		t.Fatalf("%d files, %v", len(k.Files), k.Omitted)
	}
	for _, f := range k.Files {
		var plates []string
		if f.Format == "pdf" {
			ps, err := readback.PDF(bytesOf(t, k, f))
			if err != nil {
				t.Fatal(err)
			}
			plates = ps[0].Facts.Plates
		} else {
			p, err := readback.EPS(bytesOf(t, k, f))
			if err != nil {
				t.Fatal(err)
			}
			plates = p.Facts.Plates
			for _, line := range strings.Split(string(bytesOf(t, k, f)), "\n") {
				if strings.HasPrefix(line, "%%") && (len(line) > 255 || strings.ContainsFunc(line, func(r rune) bool { return r > '~' })) {
					t.Errorf("a comment that readers cannot read: %q", line)
				}
			}
		}
		for _, n := range names {
			if !strings.Contains("\n"+strings.Join(plates, "\n")+"\n", "\n"+n+"\n") {
				t.Errorf("%s has the plates %q, not %q", f.Path, plates, n)
			}
		}
		if f.Format == "pdf" && bytes.Count(bytesOf(t, k, f), []byte("/Separation/Gr#C3#BCn#20#28matt#29")) == 0 {
			t.Error("the plate's name is not its bytes in UTF-8")
		}
	}
}
