package web

import (
	"bytes"
	"image"
	"image/jpeg"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"golang.org/x/image/draw"

	"dyekit/core/resemble"
	"dyekit/core/version"
	"dyekit/studio"
)

// saved is a picture as somebody saved it again: on white, so many times as wide, as JPEG.
func saved(t *testing.T, data []byte, wide float64) []byte {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	to := image.NewRGBA(image.Rect(0, 0, int(float64(img.Bounds().Dx())*wide), img.Bounds().Dy()))
	draw.Draw(to, to.Rect, image.White, image.Point{}, draw.Src)
	draw.BiLinear.Scale(to, to.Rect, img, img.Bounds(), draw.Over, nil)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, to, &jpeg.Options{Quality: 85}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A client drops a file that they have, and is told in words whether it is the right one.
func TestIsThisTheRightFile(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	k, _, token := handDemo(t, s, studio.HandWish{Language: "en", Leads: true})
	file := func(k *studio.Kit, path string) []byte {
		r, err := s.OpenFile(t.Context(), k.ID, path)
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	colour := file(k, "PNG/odd-kettle-teahouse_colour_500.png")
	roundel, err := os.ReadFile("../studio/demo/larkmoor-roundel.svg")
	if err != nil {
		t.Fatal(err)
	}
	ask := func(n string, data []byte) (int, string) {
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		f, _ := m.CreateFormFile("file", "<logo> final2.jpg")
		f.Write(data)
		m.Close()
		r := httptest.NewRequest("POST", "http://127.0.0.1/k/"+token+"/kit/"+n+"/right", &b)
		r.Header.Set("Content-Type", m.FormDataContentType())
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		_, says, _ := strings.Cut(w.Body.String(), `id="right"`)
		says, _, _ = strings.Cut(says, "</section>")
		return w.Code, regexp.MustCompile(`<wbr>|<[^>]*>`).ReplaceAllString(says, "")
	}
	for what, c := range map[string]struct {
		data []byte
		code int
		says string
		not  string
	}{
		"a file of the kit":    {colour, 200, "Yes: it is PNG/odd-kettle-teahouse_colour_500.png", "Better take another"},
		"saved again":          {saved(t, colour, 1), 200, "It shows the mark as it is now: colour", "distorted"},
		"with its size":        {saved(t, colour, 1), 200, "px wide: enough for a screen", "Better"},
		"what lies behind":     {saved(t, colour, 1), 200, "There is a box of #ffffff behind it", "Better"},
		"stretched":            {saved(t, colour, 1.3), 200, "It is distorted: 30", "You can use it"},
		"squeezed":             {saved(t, colour, 0.8), 200, "narrower than it should be", "You can use it"},
		"another mark":         {roundel, 200, "It does not look like this mark", "You can use it"},
		"a name that is none":  {saved(t, colour, 1), 200, "&lt;logo&gt; final2.jpg", "<logo>"},
		"a text":               {[]byte("not a picture"), 422, "It cannot be looked at: this is neither", ""},
		"nothing":              {nil, 422, "It cannot be looked at: choose a file first", ""},
		"too large":            {make([]byte, resemble.MaxBytes+9), 422, "larger than 20 MB", ""},
		"far too large":        {make([]byte, resemble.MaxBytes+envelope+9), 413, "20 MB", ""},
		"a file of the master": {file(k, "MASTER/odd-kettle.svg"), 200, "Yes: it is MASTER/", "Better"},
	} {
		code, says := ask("1", c.data)
		if code != c.code || !strings.Contains(says, c.says) || c.not != "" && strings.Contains(says, c.not) {
			t.Errorf("%s: %d, %s", what, code, strings.Join(strings.Fields(says), " "))
		}
	}
	// What was right becomes what it was.
	if err := s.SetInk(t.Context(), 2, version.InkMapping{Drawn: "#6b2d4f", Ink: version.Ink{Name: "Blue", RGB: "#225588"}}); err != nil {
		t.Fatal(err)
	}
	rebuild(t, s, 2)
	if code, says := ask("2", colour); code != 200 || !strings.Contains(says, "of kit 1, an older one. Kit 2 took its place") {
		t.Errorf("the old file: %d, %s", code, says)
	}
	if code, says := ask("2", saved(t, colour, 1)); code != 200 || !strings.Contains(says, "as it was in kit 1") || !strings.Contains(says, "Take this one: odd-kettle-teahouse_colour_3000.png") {
		t.Errorf("the old one, saved again: %d, %s", code, says)
	}
	if b := answer(h, "GET", "/k/"+token).Body.String(); strings.Contains(b, `id="theirs"`) {
		t.Error("beside the older kit it is asked what is right")
	}

	tab := browser.Tab(t, h)
	tab.Do(chromedp.Navigate(tab.Base + "/k/" + token + "/kit/2"))
	tab.Give("#theirs", "logo.png", colour)
	tab.Click(".drop button")
	tab.Until(`document.querySelector(".verdict.not")?.textContent.includes("older one")`)
	tab.Accessible("whether it is the right file")
	if w := answer(h, "GET", "/k/"+token+"/kit/2"); w.Code != http.StatusOK || !strings.Contains(w.Body.String(), `id="theirs"`) {
		t.Errorf("the newer page: %d", w.Code)
	}
}
