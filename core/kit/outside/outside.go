// Package outside lets general-purpose readers found on the machine open
// finished files: a second opinion by programs that share no code with ours.
//
// They run in a box (core/boxed) and only ever see files that Dye Kit wrote.
package outside

import (
	"context"
	"fmt"
	"image"
	"strconv"
	"strings"
	"time"

	"dyekit/core/boxed"
	"dyekit/core/format"
	"dyekit/core/intake/picture"
)

// Limits for one run of a reader.
const (
	maxTime   = 30 * time.Second
	maxMemory = 2 << 30
)

// A Mode says how far a kit depends on outside readers.
type Mode string

const (
	Auto Mode = "auto" // those that are there
	None Mode = "none"
	All  Mode = "all" // fail if one is missing
)

// ParseMode reads a mode as people write it.
func ParseMode(s string) (Mode, error) {
	switch m := Mode(s); m {
	case Auto, None, All:
		return m, nil
	}
	return "", fmt.Errorf("readers: %q is not auto, none or all", s)
}

// A Verdict is what the readers found in a kit.
type Verdict struct {
	Missing []string `json:"missing,omitempty"`
	Read    []Result `json:"read"`
}

// Words says how the readers agreed; nothing if none has read anything.
func (v *Verdict) Words() string {
	if len(v.Read) == 0 {
		return ""
	}
	differ := 0
	for _, r := range v.Read {
		if r.Differs {
			differ++
		}
	}
	if differ == 0 {
		return ", all the same picture"
	}
	return fmt.Sprintf(", the same parts and colours; %d draw the edges of fine lines differently", differ)
}

// A Result is one file opened by one reader.
type Result struct {
	Path   string `json:"path"`
	Reader string `json:"reader"`
	OK     bool   `json:"ok"`
	Found  string `json:"found"`
	// Differs is set if the reader sees the same parts in the same colours and
	// smooths their edges otherwise; the file counts as read.
	Differs bool `json:"differs,omitempty"`
}

// A Reader renders a file.
type Reader struct {
	Name    string
	Formats []format.Key
	program string
	// Colours reports whether its colours can be compared: readers show
	// process inks each in their own way, so there only opacity counts.
	RGB  bool
	args func(in string, w, h, page int, ptW, ptH float64) []string
	out  string
}

// readers in the order of their names.
var readers = []Reader{
	{
		Name: "ghostscript", program: "gs", Formats: []format.Key{format.EPS, format.PDF}, out: "out.png",
		args: func(in string, w, h, page int, ptW, ptH float64) []string {
			crop := "-dEPSCrop"
			if strings.HasSuffix(in, ".pdf") {
				crop = "-dUseCropBox"
			}
			// Whole-point boxes are rounded outwards: the resolution follows
			// the exact size, the page is cut afterwards.
			rx, ry := float64(w)*72/ptW, float64(h)*72/ptH
			return []string{"-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=pngalpha", crop,
				"-dGraphicsAlphaBits=4", fmt.Sprintf("-r%.4fx%.4f", rx, ry),
				fmt.Sprintf("-dFirstPage=%d", page), fmt.Sprintf("-dLastPage=%d", page), "-sOutputFile=out.png", in}
		},
	},
	{
		Name: "librsvg", program: "rsvg-convert", Formats: []format.Key{format.SVG}, RGB: true, out: "out.png",
		args: func(in string, w, h, _ int, _, _ float64) []string {
			return []string{"-w", strconv.Itoa(w), "-h", strconv.Itoa(h), "-o", "out.png", in}
		},
	},
	{
		Name: "poppler", program: "pdftocairo", Formats: []format.Key{format.PDF}, out: "out.png",
		args: func(in string, w, h, page int, _, _ float64) []string {
			p := strconv.Itoa(page)
			return []string{"-png", "-transp", "-singlefile", "-f", p, "-l", p, "-scale-to-x", strconv.Itoa(w), "-scale-to-y", strconv.Itoa(h), in, "out"}
		},
	},
}

// Find returns the readers on this machine and the names of those missing.
func Find() (found []Reader, missing []string) {
	for _, r := range readers {
		if !boxed.Has(r.program) {
			missing = append(missing, r.Name)
			continue
		}
		found = append(found, r)
	}
	return found, missing
}

// Picture renders one page of a file at w × h px; ptW and ptH are the page's
// size in points. The picture may be a pixel larger where whole-point boxes
// are; the surplus is cut off at the top and the right.
func (r Reader) Picture(ctx context.Context, k format.Key, data []byte, w, h, page int, ptW, ptH float64) (*image.NRGBA, error) {
	out, err := r.run(ctx, r.program, "in."+string(k), data, r.args("in."+string(k), w, h, page, ptW, ptH), r.out)
	if err != nil {
		return nil, err
	}
	img, err := picture.Decode(out)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.Name, err)
	}
	b := img.Bounds()
	if b.Dx() == w && b.Dy() == h {
		return img, nil
	}
	if b.Dx() < w || b.Dy() < h || b.Dx() > w+int(float64(w)/ptW)+2 || b.Dy() > h+int(float64(h)/ptH)+2 {
		return nil, fmt.Errorf("%s drew %d × %d px, not %d × %d px", r.Name, b.Dx(), b.Dy(), w, h)
	}
	cut := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		copy(cut.Pix[y*cut.Stride:(y+1)*cut.Stride], img.Pix[(y+b.Dy()-h)*img.Stride:])
	}
	return cut, nil
}

// Fonts lists the fonts a PDF needs, as poppler sees them.
func Fonts(ctx context.Context, data []byte) (string, error) {
	r := Reader{Name: "poppler", program: "pdffonts"}
	out, err := r.run(ctx, "pdffonts", "in.pdf", data, []string{"in.pdf"}, "")
	if err != nil {
		return "", err
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	return strings.Join(lines[min(2, len(lines)):], "; "), nil
}

// run lets a program open data, and returns the file it made, or what it
// printed if file is empty.
func (r Reader) run(ctx context.Context, program, name string, data []byte, args []string, file string) ([]byte, error) {
	d, err := boxed.Run(ctx, boxed.Job{
		Name: r.Name, Program: program, Args: args, Files: map[string][]byte{name: data}, Want: file,
		Time: maxTime, Memory: maxMemory,
	})
	if err != nil {
		return nil, err
	}
	if d.Errs != "" {
		return nil, fmt.Errorf("%s warns: %s", r.Name, boxed.FirstLine(d.Errs, nil))
	}
	return d.Data, nil
}
