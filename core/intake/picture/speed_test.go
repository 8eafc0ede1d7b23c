package picture_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"math"
	"os"
	"slices"
	"testing"
	"time"

	"dyekit/core/drawing"
	"dyekit/core/intake/picture"
	"dyekit/core/intake/svg"
	"dyekit/core/raster"
	"dyekit/core/trace"
)

// Prints how long a picture takes to be traced and held to what it was, for make bench: of
// every tenth of the open drawings and of a mark with a line of letters, as PNG and as JPEG.
func BenchmarkTracedPictures(b *testing.B) {
	type master struct{ Set, Name, SVG string }
	var all []master
	data, err := os.ReadFile("../svg/testdata/drawings.json")
	if err != nil {
		b.Fatal(err)
	}
	if err := json.Unmarshal(data, &all); err != nil {
		b.Fatal(err)
	}
	demo, err := os.ReadFile("../../../studio/demo/odd-kettle.svg")
	if err != nil {
		b.Fatal(err)
	}
	some := []master{{"demo", "odd-kettle", string(demo)}}
	for i := 0; i < len(all); i += 10 {
		some = append(some, all[i])
	}
	for range b.N {
		for _, side := range []int{1000, 4000} {
			var took []time.Duration
			for i, m := range some {
				if side > 1000 && i%4 != 0 {
					continue
				}
				for _, packed := range []bool{false, true} {
					data := specimen(b, m.SVG, side, packed)
					if data == nil {
						continue
					}
					start := time.Now()
					_, _, err := picture.Read(context.Background(), data, picture.Options{Trace: &trace.Options{Smooth: 0.3}})
					if err != nil {
						continue
					}
					took = append(took, time.Since(start))
				}
			}
			slices.Sort(took)
			n := len(took)
			fmt.Printf("FIGURE %d pictures of %d px, traced and held to what they were: %.2f s in the middle, %.2f s for 90 %%, %.2f s the slowest\n", n, side, took[n/2].Seconds(), took[n*9/10].Seconds(), took[n-1].Seconds())
		}
	}
}

// specimen is a drawing as a picture, whose longer side has so many px; nil if it cannot be drawn.
func specimen(b *testing.B, src string, side int, packed bool) []byte {
	d, fs, err := svg.Read(context.Background(), []byte(src), svg.Options{})
	if err != nil {
		return nil
	}
	if _, stop := fs.Stopping(); stop {
		return nil
	}
	k := float64(side) / d.Page.Long()
	w, h := max(2, int(math.Round(d.Page.W()*k))), max(2, int(math.Round(d.Page.H()*k)))
	img := draw(b, d, w, h)
	var out bytes.Buffer
	if packed {
		for i := 0; i < len(img.Pix); i += 4 {
			a := int(img.Pix[i+3])
			for c := range 3 {
				img.Pix[i+c] = uint8((int(img.Pix[i+c])*a + 255*(255-a)) / 255)
			}
			img.Pix[i+3] = 255
		}
		err = jpeg.Encode(&out, img, &jpeg.Options{Quality: 80})
	} else {
		err = png.Encode(&out, img)
	}
	if err != nil {
		b.Fatal(err)
	}
	return out.Bytes()
}

func draw(b *testing.B, d *drawing.Drawing, w, h int) *image.NRGBA {
	img, err := raster.Render(context.Background(), d, raster.Fit(d.Page, w, h), w, h, raster.Options{})
	if err != nil {
		b.Fatal(err)
	}
	return img
}
