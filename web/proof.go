package web

import (
	"errors"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dyekit/core/advice"
	"dyekit/core/format"
	"dyekit/core/proof"
	"dyekit/core/recipe"
	"dyekit/core/scene"
	"dyekit/studio"
	"dyekit/studio/preview"
)

// The ways to look at what will come out.
var proofViews = []struct{ Key, Name string }{
	{"true", "True pixels"}, {"two", "Two encodings"}, {"small", "Small sizes"}, {"use", "In use"},
	{"machines", "After machines"}, {"plates", "Plates"}, {"eyes", "Colour vision"},
}

// Widths at which the strip of small sizes shows a version, in px.
var smallWidths = []int{16, 24, 32, 48, 64, 96, 128, 192}

// tallest is how high a picture of the strip may be, in px: of very tall marks
// only the narrow ones are shown.
const tallest = 420

type proofPage struct {
	D     header
	View  string
	Views []struct{ Key, Name string }
	Files []recipe.File
	File  recipe.File
	Shown bool
	Dark  bool

	Versions []string // that can be looked at
	Version  string
	Width    float64 // mm
	Smallest advice.Smallest
	Small    []int

	A, B      string // encodings
	Encodings []preview.Encoding
	Two       preview.Two
	TooLarge  bool

	Machines []machine
	Plates   []proof.Plate
	Shift    float64
	Eyes     []eyes
	Scenes   []inUse
	Photos   []photograph
}

// A photograph with the version that stands on it.
type photograph struct {
	preview.Ground
	Version, Why, Look string
}

type machine struct{ Key, Name, Says string }

type eyes struct {
	proof.Vision
	Says string
	Bad  bool
}

type inUse struct {
	scene.Scene
	Version string
	Why     string
}

// wide reads the width on paper, in mm.
func wide(c *gin.Context) float64 {
	v, err := strconv.ParseFloat(c.Query("mm"), 64)
	if err != nil || !(v >= 5 && v <= 150) {
		return 60
	}
	return math.Round(v)
}

// shifted reads the misregistration, in mm.
func shifted(c *gin.Context) float64 {
	v, err := strconv.ParseFloat(c.Query("shift"), 64)
	if err != nil || !(v >= 0) {
		return 0
	}
	return min(proof.MaxShift, v)
}

func newProofPage(c *gin.Context, d header) (p proofPage, err error) {
	ctx, w := c.Request.Context(), d.Snapshot
	p = proofPage{D: d, View: c.Query("view"), Views: proofViews, Width: wide(c), Shift: shifted(c), Encodings: preview.Encodings, Small: smallWidths}
	if !slices.ContainsFunc(proofViews, func(v struct{ Key, Name string }) bool { return v.Key == p.View }) {
		p.View = "true"
	}
	for _, v := range w.Plan.Versions {
		if v.Drawing == nil {
			continue
		}
		p.Versions = append(p.Versions, v.Spec.Name)
		if p.Version == "" || v.Spec.Name == c.Query("version") {
			p.Version = v.Spec.Name
		}
	}
	if p.Version == "" {
		return p, nil
	}
	p.Dark = w.Dark(p.Version)
	switch p.View {
	case "true", "two":
		return p, p.files(c)
	case "small":
		v, _ := w.Version(p.Version)
		box := v.Mark().Bounds()
		p.Small = slices.DeleteFunc(slices.Clone(smallWidths), func(px int) bool {
			return px > smallWidths[0] && float64(px)*box.H()/box.W() > tallest
		})
		p.Smallest, err = w.Smallest(ctx, p.Version)
	case "use":
		for _, s := range w.Scenes() {
			x := inUse{Scene: s}
			if x.Version, x.Why, err = w.StandsOn(ctx, preview.Ground{Colour: s.Ground}); err != nil {
				return p, err
			}
			if v, ok := w.Version(c.Query("on-" + s.Key)); ok && v.Drawing != nil {
				x.Version, x.Why = v.Spec.Name, "You chose it."
			}
			if x.Version == "" {
				continue
			}
			p.Scenes = append(p.Scenes, x)
		}
		for _, g := range []preview.Ground{w.Grounds()[len(w.Grounds())-1], preview.Dusk()} {
			name, why, err := w.StandsOn(ctx, g)
			if err != nil {
				return p, err
			}
			if name != "" {
				p.Photos = append(p.Photos, photograph{g, name, why, w.Look(name)})
			}
		}
	case "machines":
		err = p.machines(c)
	case "plates":
		p.Plates, err = w.Plates(ctx, p.Version)
	case "eyes":
		for _, v := range proof.Visions {
			x := eyes{Vision: v, Says: "no two colours of the art fall together"}
			if n, ok := w.Confused(v); ok && n.Difference < 10 {
				x.Says, x.Bad = fmt.Sprintf("%s and %s come near: ΔE00 %.1f", n.A.Hex(), n.B.Hex(), n.Difference), true
			}
			p.Eyes = append(p.Eyes, x)
		}
	}
	return p, err
}

// files lists the pictures of the recipe, finds the one to look at, and holds
// two encodings of it to each other.
func (p *proofPage) files(c *gin.Context) (err error) {
	w, path := p.D.Snapshot, c.Query("file")
	for _, f := range w.Plan.Files {
		if k := f.Entry.Kind(); !k.Pixels || !k.Shown || f.Entry.ColourSpace() == format.CMYK || f.Set() != "" {
			continue
		}
		p.Files = append(p.Files, f)
		// The size nearest to a site's header is the first to look at.
		if path == f.Path || path == "" && (!p.Shown || abs(f.W-500) < abs(p.File.W-500)) {
			p.File, p.Shown = f, true
		}
	}
	p.Dark = p.Shown && w.Dark(p.File.Version()) && !p.File.Entry.Opaque()
	if p.View != "two" || !p.Shown {
		return nil
	}
	p.A, p.B = c.DefaultQuery("a", "png"), c.DefaultQuery("b", "png16")
	if max(p.File.W, p.File.H) > preview.MaxTwo {
		p.TooLarge = true
		return nil
	}
	p.Two, err = w.Two(c.Request.Context(), p.File, p.A, p.B)
	return err
}

// machines says what each of them leaves.
func (p *proofPage) machines(c *gin.Context) error {
	ctx, w := c.Request.Context(), p.D.Snapshot
	thread := "thread of 1 mm holds all of it"
	lost, err := w.Sewn(ctx, p.Version, p.Width)
	if err != nil {
		return err
	}
	if lost > 0.005 {
		thread = fmt.Sprintf("%s of the ink is thinner than 1 mm of thread", percent(lost))
	}
	cut := ""
	k, err := w.Cut(ctx, p.Version, p.Width)
	var in *studio.InputError
	switch {
	case errors.As(err, &in):
		cut = in.Message
	case err != nil:
		return err
	default:
		cut = fmt.Sprintf("%d paths, %.0f mm of cut; shortest path %.1f mm, smallest piece %.1f mm", k.Paths, k.Length, k.Shortest, k.Smallest)
		if k.Smallest < proof.Weeds {
			cut += fmt.Sprintf(", too small to weed below %.0f mm", proof.Weeds)
		}
	}
	box := w.Plan.FrameOf(p.Version).Box
	dots := func(down float64) string {
		return fmt.Sprintf("%.0f × %.0f dots, black or white", p.Width/25.4*proof.FaxAcross, p.Width*box.H()/box.W()/25.4*down)
	}
	p.Machines = []machine{
		{"fax", "A fax, standard", dots(proof.FaxDown)},
		{"faxfine", "A fax, fine", dots(proof.FaxFine)},
		{"copy", "A photocopy of a photocopy", "light tints go, dark ones fill in"},
		{"stamp", "A rubber stamp", "ink creeps 0.12 mm over each edge and closes fine gaps"},
		{"news", "Newsprint", "screen of 85 lines an inch, dots grow by 26 %"},
		{"thread", "Embroidery", thread},
		{"cut", "A vinyl cutter", cut},
	}
	return nil
}

func abs(n int) int { return max(n, -n) }

// Q is the query that all pictures of a version bear.
func (p proofPage) Q() template.URL {
	return template.URL(fmt.Sprintf("version=%s&mm=%g&k=%s", url.QueryEscape(p.Version), p.Width, p.D.Snapshot.Name))
}

// file finds a planned file by its path.
func file(w *preview.Snapshot, path string) (recipe.File, error) {
	i := slices.IndexFunc(w.Plan.Files, func(f recipe.File) bool { return f.Path == path })
	if i < 0 {
		return recipe.File{}, studio.ErrNotFound
	}
	return w.Plan.Files[i], nil
}

// proofPicture is a planned file as it will be, made now.
func (s *Server) proofPicture(c *gin.Context) error {
	w, err := s.work(c)
	if err != nil {
		return err
	}
	f, err := file(w.Snapshot, c.Query("file"))
	if err != nil || !f.Entry.Kind().Pixels || !f.Entry.Kind().Shown {
		return studio.ErrNotFound
	}
	b, err := w.Sample(c.Request.Context(), f)
	if err != nil {
		return err
	}
	if c.Query("k") != "" {
		c.Header("Cache-Control", "private, max-age=31536000, immutable")
	}
	c.Data(http.StatusOK, f.Entry.Kind().Media, b)
	return nil
}

// proofLook is a picture of a proof.
func (s *Server) proofLook(c *gin.Context) error {
	w, err := s.pictured(c)
	if err != nil {
		return err
	}
	ctx, version := c.Request.Context(), c.Query("version")
	pw, ph := size(c)
	var b []byte
	switch what := strings.TrimSuffix(c.Param("what"), ".png"); what {
	case "encoded":
		var f recipe.File
		if f, err = file(w, c.Query("file")); err == nil {
			b, err = w.TwoPicture(ctx, f, c.Query("a"), c.Query("b"))
		}
	case "small":
		b, err = w.Small(ctx, version, number(c, "px", 64, 1, 512))
	case "scene":
		b, err = w.Scene(ctx, c.Query("scene"), version, pw, ph)
	case "plate":
		b, err = w.PlatePicture(ctx, version, number(c, "n", 0, 0, 99))
	case "printed":
		b, err = w.Printed(ctx, version, wide(c), shifted(c))
	case "eyes":
		b, err = w.Eyes(ctx, version, c.Query("eyes"), pw, ph)
	default:
		b, err = w.Machine(ctx, version, what, wide(c))
	}
	var in *studio.InputError
	if errors.As(err, &in) || errors.Is(err, proof.ErrSize) {
		err = studio.ErrNotFound
	}
	return s.picture(c, b, err)
}

// Made lists the versions that could be made.
func (p proofPage) Made() (names []string) {
	for _, v := range p.D.Snapshot.Plan.Versions {
		if v.Drawing != nil {
			names = append(names, v.Spec.Name)
		}
	}
	return names
}
