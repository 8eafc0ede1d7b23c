package web

import (
	"bytes"
	"fmt"
	"image/png"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
)

// A number in an address counts within its bounds, and its default where it is none.
func TestNumbersAreBounded(t *testing.T) {
	t.Parallel()
	for query, want := range map[string]int{
		"": 7, "n=": 7, "n=x": 7, "n=5.5": 7, "n=99999999999999999999": 7,
		"n=3": 3, "n=2": 3, "n=-1": 3, "n=4": 4, "n=9": 9, "n=10": 9, "n=1000000": 9,
	} {
		c, _ := gin.CreateTestContext(httptest.NewRecorder())
		c.Request = httptest.NewRequest("GET", "/?"+query, nil)
		if got := number(c, "n", 7, 3, 9); got != want {
			t.Errorf("%q is %d, want %d", query, got, want)
		}
	}
	for text, want := range map[string]int64{"1": 1, "0": 0, "-1": 0, "x": 0, "": 0, "9223372036854775807": 1<<63 - 1, "9223372036854775808": 0} {
		c, _ := gin.CreateTestContext(httptest.NewRecorder())
		c.Params = gin.Params{{Key: "id", Value: text}}
		if got, err := id(c, "id"); got != want || (err == nil) != (want > 0) {
			t.Errorf("the number %q is %d, %v, want %d", text, got, err, want)
		}
	}
}

// What the board, the sheet and the tracing are asked for is held within what they can
// be, at each end.
func TestPicturesAreBounded(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	wide := func(path string) int {
		res, err := http.Get(srv.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		if res.StatusCode != http.StatusOK {
			t.Fatalf("%s: %s", path, res.Status)
		}
		c, err := png.DecodeConfig(res.Body)
		if err != nil {
			t.Fatalf("%s: %v", path, err)
		}
		return c.Width
	}
	at := "/marks/2/sheet/page/1?ppi="
	// A page of A4 is 210 mm wide: 210/25.4 × ppi.
	for ppi, want := range map[string]int{"": 794, "20": 165, "19": 165, "-5": 165, "150": 1240, "300": 2480, "301": 2480, "100000": 2480} {
		if got := wide(at + ppi); got < want-1 || got > want+1 {
			t.Errorf("the sheet at %s ppi is %d px wide, want %d", ppi, got, want)
		}
	}
	for _, n := range []string{"-1", "999", "x", "1.5"} {
		fetch(t, srv.URL+"/marks/2/sheet/page/"+n, http.StatusNotFound)
	}
	page := func(query string) string { return string(fetch(t, srv.URL+"/marks/3/trace"+query, http.StatusOK)) }
	for smooth, want := range map[int]int{-7: 0, 100: 100, 101: 100} {
		if s := page(fmt.Sprintf("?colours=4&smooth=%d", smooth)); !strings.Contains(s, fmt.Sprintf("smooth=%d&", want)) && !strings.Contains(s, fmt.Sprintf("smooth=%d\"", want)) {
			t.Errorf("a smoothness of %d is not taken as %d", smooth, want)
		}
	}
	for colours, fine := range map[string]bool{"1": false, "2": true, "65": false, "-2": false} {
		if s := page("?colours=" + colours); strings.Contains(s, "64 colours can be asked for") == fine {
			t.Errorf("%s colours: fine is %v", colours, !fine)
		}
	}
}

// A picture that is too large changes nothing of the studio; one that is only too heavy keeps
// what was typed beside it.
func TestHouseKeepsWhatItHas(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	if err := s.SetHouse(t.Context(), studio.House{Name: "Vat Nine", Greeting: "Call us."}, nil); err != nil {
		t.Fatal(err)
	}
	for size, want := range map[int]string{maxHousePicture + envelope: `value="Vat Nine"`, studio.MaxPortrait + 1: `value="Vat Ten"`} {
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		m.WriteField("name", "Vat Ten")
		f, err := m.CreateFormFile("portrait", "us.png")
		if err != nil {
			t.Fatal(err)
		}
		f.Write(make([]byte, size))
		m.Close()
		req, err := http.NewRequest("POST", "/house", &b)
		if err != nil {
			t.Fatal(err)
		}
		req.Host = "localhost"
		req.Header.Set("Content-Type", m.FormDataContentType())
		w := httptest.NewRecorder()
		h.ServeHTTP(w, req)
		if page := w.Body.String(); w.Code != http.StatusUnprocessableEntity || !strings.Contains(page, want) || !strings.Contains(page, `role="alert"`) {
			t.Errorf("%d bytes: %d, %s", size, w.Code, page)
		}
		if kept, err := s.House(t.Context()); err != nil || kept.Name != "Vat Nine" || kept.Greeting != "Call us." {
			t.Errorf("after %d bytes: %+v, %v", size, kept, err)
		}
	}
}
