package studio

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/png"
	"strings"
	"testing"

	"dyekit/core/colour"
	"dyekit/core/version"
)

func plain(t *testing.T, w, h int, r, g, b uint8) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := 0; i < len(img.Pix); i += 4 {
		img.Pix[i], img.Pix[i+1], img.Pix[i+2], img.Pix[i+3] = r, g, b, 255
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, img); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

// A version stands on a picture: its bytes are kept once beside the decisions,
// the ink on it is the clearer one, and a kit holds it.
func TestVersionOnAPicture(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	m := take(t, s, "A", "B")
	for _, u := range []Upload{{Filename: "sea.png", Data: plain(t, 300, 200, 20, 40, 70)}, {Filename: "snow.png", Data: plain(t, 200, 300, 240, 240, 250)}} {
		if err := s.AddOnPicture(ctx, work(t, s, m.ID), u); err != nil {
			t.Fatal(err)
		}
	}
	w := work(t, s, m.ID)
	for name, ink := range map[string]string{"on-picture": "#ffffff", "on-picture-2": "#000000"} {
		v, ok := w.Version(name)
		if !ok || v.Drawing == nil || v.Spec.Ink.RGB != ink || !strings.HasPrefix(v.Spec.Backing.Picture, "data:") {
			t.Fatalf("%s: %+v", name, v)
		}
		// It stands on its own picture, whatever lies around.
		if c, err := w.On(ctx, name, colour.Black); err != nil || c.Contrast < 7 {
			t.Errorf("%s stands with %.1f : 1, %v", name, c.Contrast, err)
		}
	}
	d, err := w.Mark.Decisions()
	if err != nil || len(d.Added) != 2 || !strings.HasPrefix(d.Added[0].Backing.Picture, version.Kept) || len(w.Mark.body) > 2000 {
		t.Errorf("the decisions hold %d bytes, %v", len(w.Mark.body), err)
	}
	stop := workers(t, s, 1)
	defer stop()
	j, err := s.Build(ctx, w)
	if err != nil {
		t.Fatal(err)
	}
	if j := until(t, s, j.ID); j.State != "done" {
		t.Fatalf("%+v", j)
	}
	if why, err := s.Stale(ctx, work(t, s, m.ID)); err != nil || len(why) > 0 {
		t.Errorf("the new kit is stale: %v, %v", why, err)
	}
	var in *InputError
	for name, data := range map[string][]byte{"nothing": nil, "words": []byte("hello"), "cut": plain(t, 30, 30, 1, 2, 3)[:40], "large": make([]byte, version.MaxGround+1)} {
		if err := s.AddOnPicture(ctx, w, Upload{Filename: name, Data: data}); !errors.As(err, &in) || in.Field != "ground" || len(in.Message) > 300 {
			t.Errorf("%s: %v", name, err)
		}
	}
}
