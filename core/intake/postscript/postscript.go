// Package postscript reads what a PostScript or EPS file says about itself in
// its comments (Adobe's Document Structuring Conventions 3.0), and takes the
// program out of the binary wrapping that some files have around it. It
// interprets nothing.
package postscript

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"dyekit/core/geom"
)

// MaxBytes bounds a file.
const MaxBytes = 100 << 20

// A Head is what a file says about itself.
type Head struct {
	Program []byte
	Box     geom.Rect // in points, y up; empty if it says none
	Title   string
	// StandIn tells that pictures stand in for finer ones elsewhere, and Elsewhere is the
	// name of a file that belongs to it and is not inside, or empty.
	StandIn   bool
	Elsewhere string
}

// Read reads the comments of a file.
func Read(data []byte) (*Head, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("the PostScript file is larger than %d MB", MaxBytes>>20)
	}
	program, err := unwrap(data)
	if err != nil {
		return nil, err
	}
	program = bytes.TrimLeft(program, "\x04") // sent to printers before a job
	h := &Head{Program: program}
	h.comments(program)
	return h, nil
}

// unwrap takes the program out of the binary head of EPS files with a preview
// (Encapsulated PostScript 3.0, section 5.2).
func unwrap(data []byte) ([]byte, error) {
	if !bytes.HasPrefix(data, []byte("\xc5\xd0\xd3\xc6")) {
		return data, nil
	}
	if len(data) < 30 {
		return nil, errors.New("the EPS ends within its head")
	}
	at, n := int64(binary.LittleEndian.Uint32(data[4:])), int64(binary.LittleEndian.Uint32(data[8:]))
	if at < 28 || at >= int64(len(data)) {
		return nil, errors.New("the EPS is damaged: its head does not say where the drawing is")
	}
	return data[at:min(at+n, int64(len(data)))], nil
}

// comments looks for what the file says at the beginning, and at the end where the
// beginning puts it off (DSC 3.0, section 4.5: what stands first counts at the beginning,
// what stands last at the end).
func (h *Head) comments(program []byte) {
	const most = 64 << 10
	atEnd := h.scan(program[:min(len(program), most)], false)
	if rest := program[min(len(program), most):]; atEnd || h.Box.Empty() {
		h.scan(rest[max(0, len(rest)-most):], true)
	}
}

// scan reads comments, but those of documents within the document.
func (h *Head) scan(b []byte, last bool) (atEnd bool) {
	var plain, exact geom.Rect
	within := 0
	for line := range bytes.FieldsFuncSeq(b, func(r rune) bool { return r == '\n' || r == '\r' }) {
		key, value, _ := strings.Cut(string(line[:min(len(line), 300)]), ":")
		switch {
		case !strings.HasPrefix(key, "%"):
			continue
		case key == "%%BeginDocument":
			within++
		case strings.HasPrefix(key, "%%EndDocument"):
			within = max(0, within-1)
		}
		if within > 0 {
			continue
		}
		value = strings.TrimSpace(value)
		switch key {
		case "%%BoundingBox", "%%HiResBoundingBox", "%%ExactBoundingBox":
			into := &exact
			if key == "%%BoundingBox" {
				into = &plain
			}
			if strings.HasPrefix(value, "(atend)") {
				atEnd = true
			} else if box, ok := readBox(value); ok && (last || into.Empty()) {
				*into = box
			}
		case "%%Title":
			if h.Title == "" {
				h.Title = strings.ToValidUTF8(strings.Trim(value, "()"), "")
			}
		case "%ALDImageFileName", "%%MainImage": // Open Prepress Interface 1.3 and 2.0, from memory
			h.StandIn = true
		case "%%IncludeFile", "%%IncludeDocument":
			h.Elsewhere = strings.ToValidUTF8(strings.Trim(value, "()"), "")
		}
	}
	switch {
	case !exact.Empty():
		h.Box = exact
	case !plain.Empty():
		h.Box = plain
	}
	return atEnd
}

func readBox(s string) (geom.Rect, bool) {
	f := strings.Fields(s)
	if len(f) < 4 {
		return geom.Rect{}, false
	}
	var v [4]float64
	for i := range v {
		n, err := strconv.ParseFloat(f[i], 64)
		if err != nil || math.Abs(n) > 1e6 || math.IsNaN(n) {
			return geom.Rect{}, false
		}
		v[i] = n
	}
	r := geom.Rect{X0: v[0], Y0: v[1], X1: v[2], Y1: v[3]}
	return r, !r.Empty()
}
