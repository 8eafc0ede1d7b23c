package readback_test

import (
	"bytes"
	"context"
	"math/rand/v2"
	"path"
	"testing"

	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/core/kit/readback"
	"dyekit/core/recipe"

	"dyekit/internal/budget"
)

const art = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60"><linearGradient id="g"><stop stop-color="#a33"/><stop offset="1" stop-color="#3a3" stop-opacity=".3"/></linearGradient>
 <clipPath id="c"><circle cx="20" cy="20" r="15"/></clipPath><rect width="40" height="40" fill="url(#g)" clip-path="url(#c)"/><path d="M50 10c20 0 20 40 0 40z" fill="#14506e"/>
 <image x="60" y="5" width="20" height="20" href="data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAFklEQVR4nGM4wcDAJXKC4YRGFJfbCQAZ4AQR09WZoQAAAABJRU5ErkJggg=="/></svg>`

const everything = `{"name":"x","naming":"{brand}_{version}_{colour}_{ppi}","frame":{},"versions":[{"name":"colour","treatment":"as-drawn"},{"name":"spot","treatment":"single-ink","ink":{"name":"Sea","rgb":"#14506e","cmyk":[90,50,20,30],"spot":"Sea Blue"}}],
 "files":[{"format":"pdf","colour":"cmyk"},{"format":"pdf","colour":"rgb","standard":"pdfa2b"},{"format":"eps","colour":"cmyk"},{"format":"eps","colour":"rgb"},{"format":"tiff","widths":[40],"ppi":72},{"format":"tiff","widths":[40],"ppi":300,"colour":"cmyk"},{"format":"ico"}]}`

// finished is one file of each kind as our writers make them.
func finished(t testing.TB) map[string][]byte {
	t.Helper()
	r, err := recipe.Parse([]byte(everything))
	if err != nil {
		t.Fatal(err)
	}
	k, err := kit.Build(context.Background(), kit.Input{Master: []byte(art), MasterName: "x.svg", Brand: "Pier", Recipe: r, Readers: outside.None})
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]byte{}
	for _, f := range k.Files {
		if out[f.Path], err = k.Bytes(context.Background(), f); err != nil {
			t.Fatal(err)
		}
	}
	return out
}

// read reads a file by its suffix; errors are fine, panics are not.
func read(name string, b []byte) error {
	var err error
	switch path.Ext(name) {
	case ".pdf":
		if _, err = readback.PDF(b); err == nil {
			_, err = readback.Claims(b)
		}
	case ".eps":
		_, err = readback.EPS(b)
	case ".tif":
		_, err = readback.ReadTIFF(b)
	case ".ico":
		_, err = readback.Icon(b)
	}
	return err
}

// A finished file that was cut off, bent, or says what no writer of ours says is
// refused in words, whatever the bytes.
func TestAnyBytes(t *testing.T) {
	files := finished(t)
	if len(files) < 8 {
		t.Fatalf("%d files", len(files))
	}
	words := [][]byte{[]byte(" k\n"), []byte(" cm\n"), []byte(" Q\n"), []byte(" sh\n"), []byte(" Do\n"), []byte(" scn\n"), []byte("<< /Length -1 >>"), []byte("[ 1 2"), []byte("(((("), []byte(" 1e999 "), []byte("/Kids [ 1 0 R ]"), []byte("99999999999 0 R"), []byte("stream\n")}
	r := rand.New(rand.NewPCG(8, 9))
	try := func(name string, b []byte) {
		defer func() {
			if x := recover(); x != nil {
				t.Errorf("%s of %d bytes: %v", name, len(b), x)
			}
		}()
		read(name, b)
	}
	for name, whole := range files {
		if err := read(name, whole); err != nil {
			t.Errorf("%s is not read: %v", name, err)
		}
		for n := 0; n < len(whole); n += 1 + len(whole)/budget.Of(20, 150) {
			try(name, whole[:n])
		}
		for range budget.Of(40, 600) {
			b := bytes.Clone(whole)
			for range 1 + r.IntN(4) {
				at := r.IntN(len(b))
				switch r.IntN(4) {
				case 0:
					b[at] ^= byte(1 + r.IntN(255))
				case 1:
					b = append(b[:at], b[min(len(b), at+r.IntN(12)):]...)
				case 2:
					w := words[r.IntN(len(words))]
					b = append(b[:at:at], append(bytes.Clone(w), b[at:]...)...)
				default: // a number becomes another
					for i := at; i < len(b) && i < at+6; i++ {
						if b[i] >= '0' && b[i] <= '9' {
							b[i] = byte('0' + r.IntN(10))
						}
					}
				}
				if len(b) == 0 {
					break
				}
			}
			try(name, b)
		}
	}
}

func FuzzFinished(f *testing.F) {
	for name, b := range finished(f) {
		f.Add(path.Ext(name), b)
	}
	f.Fuzz(func(_ *testing.T, ext string, b []byte) {
		if len(b) < 1<<20 {
			read("x"+ext, b)
		}
	})
}
