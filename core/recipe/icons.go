package recipe

import (
	"fmt"
	"strings"

	"dyekit/core/version"
)

// Files of an icon set that are no pictures.
const (
	WebManifest = "webmanifest"
	HeadLines   = "html"
)

// icons lists the set for a site and its application (sizes: common practice;
// maskable icons: W3C Web Application Manifest). Names are those that the lines
// for the page's head speak of. A second version gets a folder of its own.
func (e Entry) icons(v version.Spec, art Art, second bool) (fs []File, why string) {
	art = art.of(v.Name)
	folder := "ICONS/"
	if second {
		folder = "ICONS-" + Slug(v.Name) + "/"
	}
	add := func(name, format string, side int, backing string, icon *Icon) {
		x := e
		x.Format, x.Backing = format, backing
		f := File{Path: folder + name, Versions: []string{v.Name}, Entry: x, Icon: icon, W: side, H: side, WPt: float64(side) * 0.75, HPt: float64(side) * 0.75}
		if art.Carry != nil && x.Curves() {
			if no, _ := art.Carry(v.Name, x); no != "" {
				why = no
				return
			}
		}
		if art.Pixels > 0 && side > art.Pixels {
			why = enlarged(art)
			return
		}
		fs = append(fs, f)
	}
	ground := e.Backing
	if ground == "" {
		ground = "#ffffff"
	}
	if nearWhite(ground) && v.White() {
		return nil, whiteBlock
	}
	add("favicon.ico", "ico", 48, "", &Icon{Sides: []int{16, 32, 48}})
	for _, side := range []int{16, 32, 48, 64, 96, 128, 192, 256, 512} {
		add(fmt.Sprintf("icon-%d.png", side), "png", side, "", &Icon{})
	}
	add("touch-icon-180.png", "png", 180, ground, &Icon{Room: 0.1})
	for _, side := range []int{192, 512} {
		add(fmt.Sprintf("maskable-%d.png", side), "png", side, ground, &Icon{Round: true})
	}
	add("icon.svg", "svg", 0, "", &Icon{})
	add("site.webmanifest", WebManifest, 0, "", &Icon{})
	add("head.html", HeadLines, 0, "", &Icon{})
	return fs, why
}

// Set names the icon set a file belongs to by its folder, "" for none.
func (f File) Set() string {
	folder, _, in := strings.Cut(f.Path, "/")
	if f.Icon == nil || !in || !strings.HasPrefix(folder, "ICONS") {
		return ""
	}
	return folder
}

func enlarged(a Art) string {
	return fmt.Sprintf("the master is a picture; it would be enlarged past 100 %% (%d px of frame at most)", a.Pixels)
}
