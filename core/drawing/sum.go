package drawing

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash"
	"image"
	"math"
	"reflect"

	"dyekit/core/geom"
)

// Sum names a value by all that it holds: a drawing, nodes, paths, or structs and slices of
// them. Equal sums, equal values, whatever they were made from. ok is false for what has no
// cheap or no certain name: pictures, whose pixels are many, functions and maps.
func Sum(v any) (sum string, ok bool) {
	s := summer{to: sha256.New()}
	ok = s.value(reflect.ValueOf(v))
	s.flush()
	return hex.EncodeToString(s.to.Sum(nil)), ok
}

// A summer writes values into a hash by their kinds, so that a field that is added one day
// counts from that day on.
type summer struct {
	to  hash.Hash
	buf []byte
}

func (s *summer) flush() {
	s.to.Write(s.buf)
	s.buf = s.buf[:0]
}

func (s *summer) number(n uint64) {
	const full = 1 << 15
	if s.buf = binary.LittleEndian.AppendUint64(s.buf, n); len(s.buf) > full {
		s.flush()
	}
}

var (
	pathType    = reflect.TypeFor[geom.Path]()
	pictureType = reflect.TypeFor[image.NRGBA]()
)

func (s *summer) value(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Bool:
		n := uint64(0)
		if v.Bool() {
			n = 1
		}
		s.number(n)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		s.number(uint64(v.Int()))
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		s.number(v.Uint())
	case reflect.Float32, reflect.Float64:
		s.number(math.Float64bits(v.Float()))
	case reflect.String:
		s.text(v.String())
	case reflect.Slice, reflect.Array:
		s.number(uint64(v.Len()))
		if v.Type() == pathType && v.CanInterface() {
			s.path(v.Interface().(geom.Path))
			return true
		}
		for i := range v.Len() {
			if !s.value(v.Index(i)) {
				return false
			}
		}
	case reflect.Struct:
		if v.Type() == pictureType {
			return false
		}
		for i := range v.NumField() {
			if !s.value(v.Field(i)) {
				return false
			}
		}
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			s.number(0)
			return true
		}
		s.number(1)
		if v.Kind() == reflect.Interface {
			s.text(v.Elem().Type().String())
		}
		return s.value(v.Elem())
	case reflect.Invalid: // nil itself
		s.number(0)
	default:
		return false
	}
	return true
}

func (s *summer) text(t string) {
	s.number(uint64(len(t)))
	s.buf = append(s.buf, t...)
}

// path is value for what nearly all of a drawing consists of.
func (s *summer) path(p geom.Path) {
	for _, g := range p {
		s.number(uint64(g.Op))
		for _, q := range g.P {
			s.number(math.Float64bits(q.X))
			s.number(math.Float64bits(q.Y))
		}
	}
}
