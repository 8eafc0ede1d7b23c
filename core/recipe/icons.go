package recipe

import (
	"fmt"
	"strings"

	"dyekit/core/format"
	"dyekit/core/version"
)

// darkTile is the ground of icons of a white mark.
const darkTile = "#1f1f1e"

// icons lists the set for a site and its application (sizes: common practice;
// maskable icons: W3C Web Application Manifest). Names are those that the lines
// for the page's head speak of. A second version gets a folder of its own.
func (e Entry) icons(v version.Spec, art Art, second bool) (fs []File, left []string, err error) {
	white := v.White() || art.White[v.Name]
	art = art.of(v.Name)
	folder := "ICONS/"
	if second {
		folder = "ICONS-" + Slug(v.Name) + "/"
	}
	add := func(name string, key format.Key, side int, backing string, icon *Icon) {
		x := e
		x.Format, x.Backing = key, backing
		f := File{Path: folder + name, Versions: []string{v.Name}, Entry: x, Icon: icon, W: side, H: side, WPt: float64(side) * 0.75, HPt: float64(side) * 0.75}
		if art.Carry != nil && x.Curves() {
			if no, _ := art.Carry(v.Name, x); no != "" {
				left = []string{no}
				return
			}
		}
		if art.Pixels > 0 && side > art.Pixels {
			left = []string{enlarged(art)}
			return
		}
		fs = append(fs, f)
	}
	ground, tile := e.Backing, ""
	switch {
	case ground == "" && white: // white shows on a tile alone
		ground, tile = darkTile, darkTile
	case ground == "":
		ground = "#ffffff"
	case nearWhite(ground) && white:
		return nil, []string{whiteBlock}, nil
	}
	add("favicon.ico", format.ICO, 48, tile, &Icon{Sides: []int{16, 32, 48}, Head: "icon"})
	room := 0.0
	if tile != "" {
		room = 0.08
	}
	for _, side := range []int{16, 32, 48, 64, 96, 128, 192, 256, 512} {
		add(fmt.Sprintf("icon-%d.png", side), format.PNG, side, tile, &Icon{Listed: side >= 192, Room: room})
	}
	add("touch-icon-180.png", format.PNG, 180, ground, &Icon{Room: 0.1, Head: "apple-touch-icon"})
	for _, side := range []int{192, 512} {
		add(fmt.Sprintf("maskable-%d.png", side), format.PNG, side, ground, &Icon{Round: true, Listed: true})
	}
	if tile == "" { // a drawing has no tile
		add("icon.svg", format.SVG, 0, "", &Icon{Head: "icon", Listed: true})
	}
	add("site.webmanifest", format.WebManifest, 0, "", &Icon{})
	add("head.html", format.HeadLines, 0, "", &Icon{})
	return fs, left, nil
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
