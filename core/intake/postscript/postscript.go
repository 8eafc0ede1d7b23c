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

// comments looks for the box and the title among the comments at the beginning,
// and at the end where the beginning puts them off.
func (h *Head) comments(program []byte) {
	const most = 64 << 10
	atEnd := h.scan(program[:min(len(program), most)])
	if atEnd || h.Box.Empty() {
		h.scan(program[max(0, len(program)-most):])
	}
}

func (h *Head) scan(b []byte) (atEnd bool) {
	exact := false
	for line := range bytes.FieldsFuncSeq(b, func(r rune) bool { return r == '\n' || r == '\r' }) {
		key, value, ok := strings.Cut(string(line[:min(len(line), 300)]), ":")
		if !ok || !strings.HasPrefix(key, "%%") {
			continue
		}
		value = strings.TrimSpace(value)
		switch key {
		case "%%BoundingBox", "%%HiResBoundingBox", "%%ExactBoundingBox":
			if strings.HasPrefix(value, "(atend)") {
				atEnd = true
				continue
			}
			if box, ok := readBox(value); ok && (!exact || key != "%%BoundingBox") {
				h.Box, exact = box, key != "%%BoundingBox"
			}
		case "%%Title":
			if h.Title == "" {
				h.Title = strings.ToValidUTF8(strings.Trim(value, "()"), "")
			}
		}
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
