package recipe

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"dyekit/core/field"
)

// strict decodes JSON into v and refuses what v has no place for, naming the
// place: encoding/json alone says which key is unknown, but not where.
func strict(data []byte, v any) error {
	var raw any
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(&raw); err != nil {
		return jsonError(data, err)
	}
	if d.More() {
		return errors.New("there is more after the end of the recipe")
	}
	if err := fits("", raw, reflect.TypeOf(v).Elem()); err != nil {
		return err
	}
	if err := nothing("", raw); err != nil {
		return err
	}
	return json.Unmarshal(data, v)
}

// nothing refuses a 0 where it cannot be meant: unsaid, these keys have a usual
// value.
func nothing(place string, raw any) error {
	switch raw := raw.(type) {
	case map[string]any:
		for _, k := range []string{"ppi", "effects_ppi", "quality", "opacity", "level"} {
			if n, ok := raw[k].(json.Number); ok {
				if v, err := n.Float64(); err == nil && v == 0 {
					return field.Errorf(strings.TrimPrefix(place+"."+k, "."), "0 is nothing; leave the key out for the usual value")
				}
			}
		}
		for _, k := range slices.Sorted(maps.Keys(raw)) {
			if err := nothing(strings.TrimPrefix(place+"."+k, "."), raw[k]); err != nil {
				return err
			}
		}
	case []any:
		for i, x := range raw {
			if err := nothing(fmt.Sprintf("%s[%d]", place, i), x); err != nil {
				return err
			}
		}
	}
	return nil
}

// jsonError gives the line of a fault in the syntax.
func jsonError(data []byte, err error) error {
	var se *json.SyntaxError
	if errors.As(err, &se) {
		line := 1 + bytes.Count(data[:min(int(se.Offset), len(data))], []byte("\n"))
		return fmt.Errorf("line %d: this is not JSON: %v", line, se)
	}
	return fmt.Errorf("this is not JSON: %w", err)
}

var unmarshaler = reflect.TypeFor[json.Unmarshaler]()

// fits reports the first place where raw does not suit type t.
func fits(place string, raw any, t reflect.Type) error {
	name := place
	if name == "" {
		name = "the recipe"
	}
	if reflect.PointerTo(t).Implements(unmarshaler) {
		b, err := json.Marshal(raw)
		if err == nil {
			err = json.Unmarshal(b, reflect.New(t).Interface())
		}
		if err != nil {
			return field.In(name, err)
		}
		return nil
	}
	bad := func(want string) error { return field.Errorf(name, "must be %s", want) }
	switch t.Kind() {
	case reflect.Pointer:
		if raw == nil {
			return nil
		}
		return fits(place, raw, t.Elem())
	case reflect.Struct:
		m, ok := raw.(map[string]any)
		if !ok {
			return bad("an object")
		}
		var keys []string
		for k := range m {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		for _, k := range keys {
			f, ok := keyed(t, k)
			at := strings.TrimPrefix(place+"."+k, ".")
			if !ok {
				return field.Errorf(at, "is not a key known here")
			}
			if err := fits(at, m[k], f.Type); err != nil {
				return err
			}
		}
	case reflect.Slice, reflect.Array:
		l, ok := raw.([]any)
		if !ok {
			return bad("a list")
		}
		if t.Kind() == reflect.Array && len(l) != t.Len() {
			return bad(fmt.Sprintf("a list of %d", t.Len()))
		}
		for i, x := range l {
			if err := fits(fmt.Sprintf("%s[%d]", place, i), x, t.Elem()); err != nil {
				return err
			}
		}
	case reflect.String:
		if _, ok := raw.(string); !ok {
			return bad("a text")
		}
	case reflect.Bool:
		if _, ok := raw.(bool); !ok {
			return bad("true or false")
		}
	case reflect.Int:
		n, ok := raw.(json.Number)
		if !ok {
			return bad("a whole number")
		}
		if _, err := n.Int64(); err != nil {
			return bad("a whole number")
		}
	case reflect.Float64:
		n, ok := raw.(json.Number)
		if !ok {
			return bad("a number")
		}
		if _, err := n.Float64(); err != nil {
			return bad("a number")
		}
	}
	return nil
}

func keyed(t reflect.Type, key string) (reflect.StructField, bool) {
	for i := range t.NumField() {
		f := t.Field(i)
		if n, _, _ := strings.Cut(f.Tag.Get("json"), ","); n == key {
			return f, true
		}
	}
	return reflect.StructField{}, false
}
