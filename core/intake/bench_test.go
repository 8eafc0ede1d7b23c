package intake_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"os"
	"path/filepath"
	"testing"
	"time"

	"dyekit/core/export/eps"
	"dyekit/core/intake"
	"dyekit/core/trace"
	"dyekit/internal/testkit"
)

// Prints how long usual masters take to be read and checked, beside what poppler
// takes to draw them, for make bench.
func BenchmarkMasters(b *testing.B) {
	files := map[string][]byte{}
	for _, n := range []string{"tex.pdf", "reportlab.pdf", "libreoffice-face.pdf", "libreoffice-icon.pdf"} {
		data, err := os.ReadFile(filepath.Join("pdf/testdata", n))
		if err != nil {
			b.Fatal(err)
		}
		files[n] = data
	}
	for _, text := range every(b, 80) {
		var e bytes.Buffer
		m := read(b, []byte(text))
		if err := eps.Encode(&e, whole(m.Drawing), eps.Options{}); err == nil {
			files["our own.eps"] = e.Bytes()
			break
		}
	}
	for range b.N {
		for name, data := range files {
			start := time.Now()
			if _, err := intake.Read(context.Background(), data, intake.Options{}); err != nil {
				b.Fatal(err)
			}
			own := time.Since(start)
			start = time.Now()
			if filepath.Ext(name) == ".pdf" {
				testkit.Run(b, map[string][]byte{"in.pdf": data}, "pdftocairo", "-png", "-singlefile", "in.pdf", "out")
			} else {
				testkit.Run(b, map[string][]byte{"in.eps": data}, "gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=png16m", "-dEPSCrop", "-sOutputFile=out.png", "in.eps")
			}
			fmt.Printf("FIGURE reading %s: %d ms, × %.2f of what an outside reader takes to draw it\n", name, own.Milliseconds(), own.Seconds()/time.Since(start).Seconds())
		}
	}
}

// Prints how long a picture of 1000 px takes to be traced.
func BenchmarkTraceLarge(b *testing.B) {
	var pictures []*image.NRGBA
	for _, text := range every(b, 40) {
		m := read(b, []byte(text))
		pictures = append(pictures, drawAt(b, m.Drawing, 1000))
	}
	for range b.N {
		worst, sum := time.Duration(0), time.Duration(0)
		for _, img := range pictures {
			start := time.Now()
			if _, err := trace.Trace(context.Background(), img, trace.Options{}); err != nil {
				b.Fatal(err)
			}
			d := time.Since(start)
			worst, sum = max(worst, d), sum+d
		}
		fmt.Printf("FIGURE tracing %d pictures of 1000 px: %d ms in the mean, %d ms at most\n", len(pictures), sum.Milliseconds()/int64(len(pictures)), worst.Milliseconds())
	}
}
