//go:build screenshots

package web

import (
	"bytes"
	"errors"
	"flag"
	"image/jpeg"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/core/colour"
	"dyekit/core/intake"
	"dyekit/core/raster"
	"dyekit/studio"
)

var shots = flag.String("screenshots", "../docs/screenshots", "folder for the pictures")

// TestScreenshots refreshes the pictures of the README; make screenshots asks
// for it.
func TestScreenshots(t *testing.T) {
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	shoot := func(name, page string) {
		if strings.HasPrefix(page, "/kits/1/page") { // what clients see has none of our scripts
			tab.Do(chromedp.Navigate(tab.Base + page))
		} else {
			tab.Go(page)
		}
		tab.Eval(`document.querySelectorAll("img[loading=lazy]").forEach(i => { i.loading = "eager" }) || ""`)
		tab.Until(`[...document.images].every(i => i.complete || !i.getAttribute("src"))`)
		tab.Until(`!document.body.innerText.includes("being weighed")`)
		tab.Until(`document.fonts.status === "loaded"`)
		if err := os.WriteFile(filepath.Join(*shots, name+".png"), tab.Shot(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for name, page := range map[string]string{
		"desk": "/", "master": "/marks/1/master", "inks": "/marks/2/inks", "versions": "/marks/4/versions?cell=wide-white",
		"files": "/marks/4/files", "proof": "/marks/2/proof?view=small", "kit": "/marks/2/kit",
		"parts": "/marks/2/parts", "frame": "/marks/2/frame?version=black&over=white", "recipe": "/marks/2/files?edit=1#table",
		"machines": "/marks/1/proof?view=machines",
		"client":   "/kits/1/page?make=sizes&make=types&make=grounds&asked=" + url.QueryEscape("white logo as a vector for the printer, 80 mm wide, no background, CMYK"),
	} {
		shoot(name, page)
	}
	// Handed over twice, with a question.
	k, err := s.Kit(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	for i, who := range []string{"Maud at Odd Kettle", "Tinsel & Sons, printers"} {
		h, _, err := s.HandOver(studio.WithPerson(t.Context(), "Ada"), k, studio.HandWish{Recipient: who, Mail: []string{"maud@kettle.example", ""}[i], Leads: true})
		for range 3 - i {
			err = errors.Join(err, s.Note(t.Context(), h, studio.HandOpened, ""))
		}
		err = errors.Join(err, s.Note(t.Context(), h, studio.HandFile, "SVG/odd-kettle-teahouse_colour.svg"))
		if i == 1 {
			err = errors.Join(err, s.Ask(t.Context(), h, "Which one for the van? It is dark green."))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	shoot("hand-over", "/kits/1/hand")
	data, err := os.ReadFile("../studio/demo/odd-kettle.svg")
	if err != nil {
		t.Fatal(err)
	}
	// The kettle as a worn picture, traced; and a mark of words.
	master, err := intake.Read(t.Context(), data, intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	white := colour.White
	img, err := raster.Render(t.Context(), master.Drawing, raster.Fit(master.Drawing.Page, 180, 192), 180, 192, raster.Options{Ground: &white})
	if err != nil {
		t.Fatal(err)
	}
	var worn bytes.Buffer
	if err := jpeg.Encode(&worn, img, &jpeg.Options{Quality: 90}); err != nil {
		t.Fatal(err)
	}
	old, err := s.TakeIn(t.Context(), studio.Taking{Client: "Odd Kettle Teahouse", Mark: "from the old website", Filename: "kettle.jpg", Data: worn.Bytes()})
	if err != nil {
		t.Fatal(err)
	}
	shoot("tracing", markURL(old.ID, "trace")+"?"+url.Values{"x0": {"26"}, "y0": {"172"}, "x1": {"152"}, "y1": {"189"}, "words": {"TEAHOUSE · EST. 1987"}}.Encode())
	shoot("typed", "/typed?"+url.Values{"text1": {"Odd Kettle"}, "font1": {"Alfa Slab One"}, "text2": {"tea house since {year}"}, "year": {"1987"}, "font2": {"Cabin"}, "case2": {"upper"}, "fit2": {"on"}, "between": {"rule"}, "ink": {"#206047"}, "client": {"Odd Kettle Teahouse"}, "mark": {"Words"}}.Encode())
	for _, c := range []string{"#2c5282", "#a3322b", "#206047"} {
		art := strings.ReplaceAll(string(data), "#cf7a22", c)
		if _, err := s.TakeCandidate(t.Context(), studio.Taking{Client: "Odd Kettle Teahouse", Filename: "odd-kettle-" + c[1:] + ".svg", Data: []byte(art)}); err != nil {
			t.Fatal(err)
		}
	}
	shoot("board", "/clients/2/board?by_ground=yes&paper=a4&ground=%23cf7a22&title=Odd+Kettle+Teahouse%3A+candidates")
	shoot("sheet", "/marks/1/sheet")
	shoot("finish", "/marks/1/finish")
	m, err := s.Mark(t.Context(), 1)
	if err == nil {
		err = s.DemoPhotos(t.Context(), m)
	}
	if err != nil {
		t.Fatal(err)
	}
	shoot("photos", "/marks/1/photos?n=4&place=quiet&x=0.5&y=0.5&size=30&margin=4&opacity=80&below=&mark=auto&dark=&light=&along=&longest=&name=%7Bphoto%7D_marked")
}
