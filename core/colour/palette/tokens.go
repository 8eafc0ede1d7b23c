package palette

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"

	"dyekit/core/colour"
)

// Design tokens are those of the format of the W3C's Design Tokens Community Group (format module
// and color module, 2025.10; from memory). A colour is an object with its colour space and
// components, 0 to 1; drafts before wrote it as #rrggbb, which is read too.

// maxNested bounds the groups of tokens within each other.
const maxNested = 20

// readTokens lists the colours among design tokens, in the order of the file. Aliases are let be:
// what they stand for is in the list.
func readTokens(data []byte) (out []Swatch, err error) {
	d := json.NewDecoder(bytes.NewReader(data))
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return nil, errors.New("the design tokens are no JSON object")
	}
	if err := group(d, "", "", 0, &out); err != nil {
		return nil, fmt.Errorf("the design tokens cannot be read: %w", err)
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, errors.New("the design tokens go on after their end")
	}
	if len(out) == 0 {
		return nil, errors.New("there is no colour among the design tokens")
	}
	return out, nil
}

// group reads the members of an object whose brace is read; kind is what its tokens are unless they
// say so themselves.
func group(d *json.Decoder, name, kind string, depth int, out *[]Swatch) error {
	if depth > maxNested {
		return fmt.Errorf("groups lie in each other more than %d deep", maxNested)
	}
	type member struct {
		key string
		raw json.RawMessage
	}
	var members []member
	for d.More() {
		k, err := d.Token()
		if err != nil {
			return err
		}
		var raw json.RawMessage
		if err := d.Decode(&raw); err != nil {
			return err
		}
		members = append(members, member{k.(string), raw})
	}
	if _, err := d.Token(); err != nil {
		return err
	}
	for _, m := range members {
		if m.key == "$type" {
			if err := json.Unmarshal(m.raw, &kind); err != nil {
				return fmt.Errorf("%s: its $type is no word", name)
			}
		}
	}
	for _, m := range members {
		switch {
		case m.key == "$value":
			c, ok, err := tokenOf(m.raw, kind)
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			if ok {
				*out = append(*out, Swatch{name, c})
			}
		case strings.HasPrefix(m.key, "$"):
		case bytes.HasPrefix(bytes.TrimSpace(m.raw), []byte("{")):
			in := json.NewDecoder(bytes.NewReader(m.raw))
			if _, err := in.Token(); err != nil {
				return err
			}
			if err := group(in, m.key, kind, depth+1, out); err != nil {
				return err
			}
		}
	}
	return nil
}

// tokenOf is the colour of a token; ok is false if it is another kind of token, or an alias.
func tokenOf(raw json.RawMessage, kind string) (c colour.RGB, ok bool, err error) {
	var s string
	if json.Unmarshal(raw, &s) == nil {
		if kind != "color" && !(kind == "" && strings.HasPrefix(s, "#")) || strings.HasPrefix(s, "{") {
			return c, false, nil
		}
		c, err = colour.ParseHex(s)
		return c, err == nil, err
	}
	if kind != "color" {
		return c, false, nil
	}
	var v struct {
		Space      string     `json:"colorSpace"`
		Components []*float64 `json:"components"`
		Hex        string     `json:"hex"`
	}
	if err := json.Unmarshal(raw, &v); err != nil {
		return c, false, err
	}
	if v.Space == "srgb" && len(v.Components) == 3 {
		at := func(i int) float64 {
			if v.Components[i] == nil {
				return 0
			}
			return min(1, max(0, *v.Components[i]))
		}
		c = colour.RGB{R: at(0), G: at(1), B: at(2)}
		if x, err := colour.ParseHex(v.Hex); err == nil && x.Hex() == c.Hex() {
			c = x // which the components were rounded from
		}
		return c, true, nil
	}
	if v.Hex == "" {
		return c, false, fmt.Errorf("a colour in %q is not read: give it as srgb, or its hex", v.Space)
	}
	c, err = colour.ParseHex(v.Hex)
	return c, err == nil, err
}

// tokens writes colours as design tokens.
func tokens(ss []Swatch) ([]byte, error) {
	var b bytes.Buffer
	b.WriteString("{\n")
	for i, s := range ss {
		key, err := json.Marshal(strings.NewReplacer(".", " ", "{", " ", "}", " ", "$", " ").Replace(s.Name)) // which names may not hold
		if err != nil {
			return nil, err
		}
		round := func(v float64) float64 { return math.Round(v*1e4) / 1e4 }
		comma := ","
		if i == len(ss)-1 {
			comma = ""
		}
		fmt.Fprintf(&b, " %s: {\"$type\": \"color\", \"$value\": {\"colorSpace\": \"srgb\", \"components\": [%g, %g, %g], \"hex\": %q}}%s\n", key, round(s.RGB.R), round(s.RGB.G), round(s.RGB.B), s.RGB.Hex(), comma)
	}
	b.WriteString("}\n")
	return b.Bytes(), nil
}
