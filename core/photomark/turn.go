package photomark

import "image"

// A turn is the orientation of EXIF 2.3, 1 to 8, that brings stored pixels the right
// way up; 0 is as 1.
type turn int

// undone turns a picture back.
var undone = [9]turn{0, 1, 2, 3, 4, 5, 8, 7, 6}

// seen is how large w × h stored pixels are seen.
func (t turn) seen(w, h int) (int, int) {
	if t >= 5 {
		return h, w
	}
	return w, h
}

// stored is where a box that is seen lies among w × h stored pixels.
func (t turn) stored(r image.Rectangle, w, h int) image.Rectangle {
	at := func(x, y int) (int, int) {
		switch t {
		case 2:
			return w - x, y
		case 3:
			return w - x, h - y
		case 4:
			return x, h - y
		case 5:
			return y, x
		case 6:
			return y, h - x
		case 7:
			return w - y, h - x
		case 8:
			return w - y, x
		}
		return x, y
	}
	x0, y0 := at(r.Min.X, r.Min.Y)
	x1, y1 := at(r.Max.X, r.Max.Y)
	return image.Rect(x0, y0, x1, y1)
}
