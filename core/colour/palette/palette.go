// Package palette reads and writes lists of named colours in open formats: the
// plain-text .gpl palette, CSS custom properties, design tokens as JSON, and a plain list of values.
package palette

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"dyekit/core/colour"
)

// Limits of a list.
const (
	MaxBytes   = 1 << 20
	MaxColours = 200
)

// A Swatch is a colour with a name.
type Swatch struct {
	Name string
	RGB  colour.RGB
}

// Formats that Write knows, by their usual file extensions.
var Formats = []string{"gpl", "css", "json", "txt"}

var (
	property = regexp.MustCompile(`--([\w-]+)\s*:\s*(#[0-9A-Fa-f]{3}(?:[0-9A-Fa-f]{3})?)\s*[;}]`)
	row      = regexp.MustCompile(`^\s*(\d{1,3})\s+(\d{1,3})\s+(\d{1,3})(?:\s+(.*))?$`)
	value    = regexp.MustCompile(`#?[0-9A-Fa-f]{6}\b`)
)

// Read takes a list in; its format is told from its content. A colour without
// a name gets its value for one. Equal names get a number.
func Read(data []byte) ([]Swatch, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("the list is larger than %d MB", MaxBytes>>20)
	}
	if bytes.IndexByte(data, 0) >= 0 {
		return nil, errors.New("this is no list of colours in text")
	}
	var out []Swatch
	text := string(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")))
	switch {
	case strings.HasPrefix(text, "GIMP Palette"):
		sc := bufio.NewScanner(strings.NewReader(text))
		for n := 1; sc.Scan(); n++ {
			line := strings.TrimRight(sc.Text(), " \t\r")
			if n == 1 || line == "" || strings.HasPrefix(line, "#") || strings.HasPrefix(line, "Name:") || strings.HasPrefix(line, "Columns:") {
				continue
			}
			m := row.FindStringSubmatch(line)
			if m == nil {
				return nil, fmt.Errorf("line %d of the palette is no colour: %.40q", n, line)
			}
			var v [3]int
			for i := range v {
				v[i], _ = strconv.Atoi(m[1+i]) // digits by the pattern
				if v[i] > 255 {
					return nil, fmt.Errorf("line %d of the palette: %d is more than 255", n, v[i])
				}
			}
			out = append(out, Swatch{strings.TrimSpace(m[4]), colour.FromBytes(uint8(v[0]), uint8(v[1]), uint8(v[2]))})
		}
	case strings.HasPrefix(strings.TrimSpace(text), "{"):
		var err error
		if out, err = readTokens(data); err != nil {
			return nil, err
		}
	case property.MatchString(text):
		for _, m := range property.FindAllStringSubmatch(text, -1) {
			c, err := colour.ParseHex(m[2])
			if err != nil {
				return nil, err
			}
			out = append(out, Swatch{strings.ReplaceAll(m[1], "-", " "), c})
		}
	default:
		for line := range strings.Lines(text) {
			at := value.FindStringIndex(line)
			if at == nil {
				continue
			}
			c, err := colour.ParseHex("#" + strings.TrimPrefix(line[at[0]:at[1]], "#"))
			if err != nil {
				return nil, err
			}
			out = append(out, Swatch{strings.Trim(line[:at[0]]+line[at[1]:], " \t\r\n,;:="), c})
		}
	}
	if len(out) == 0 {
		return nil, errors.New("no colour was found in it; a list has a value such as #206047 on each line, or is a .gpl palette or CSS custom properties")
	}
	if len(out) > MaxColours {
		return nil, fmt.Errorf("it has %d colours; %d are taken at once", len(out), MaxColours)
	}
	name(out)
	return out, nil
}

// name gives every swatch a name of its own.
func name(ss []Swatch) {
	seen := map[string]int{}
	for i := range ss {
		if ss[i].Name == "" || strings.EqualFold(ss[i].Name, "untitled") {
			ss[i].Name = ss[i].RGB.Hex()
		}
		key := strings.ToLower(ss[i].Name)
		if seen[key]++; seen[key] > 1 {
			ss[i].Name = fmt.Sprintf("%s %d", ss[i].Name, seen[key])
		}
	}
}

// Write returns a list in one of Formats; title is its name.
func Write(ss []Swatch, format, title string) ([]byte, error) {
	var b bytes.Buffer
	line := func(s string) string { return strings.Join(strings.Fields(s), " ") } // no line breaks
	switch format {
	case "gpl":
		fmt.Fprintf(&b, "GIMP Palette\nName: %s\nColumns: 0\n#\n", line(title))
		for _, s := range ss {
			r, g, bl := s.RGB.Bytes()
			fmt.Fprintf(&b, "%3d %3d %3d\t%s\n", r, g, bl, line(s.Name))
		}
	case "css":
		b.WriteString(":root {\n")
		for i, s := range ss {
			id := strings.Trim(regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(strings.ToLower(s.Name), "-"), "-")
			if id == "" {
				id = fmt.Sprintf("ink-%d", i+1)
			}
			fmt.Fprintf(&b, "  --%s: %s;\n", id, s.RGB.Hex())
		}
		b.WriteString("}\n")
	case "txt":
		for _, s := range ss {
			fmt.Fprintf(&b, "%s %s\n", s.RGB.Hex(), line(s.Name))
		}
	case "json":
		return tokens(ss)
	default:
		return nil, fmt.Errorf("a list of colours is written as gpl, css, json or txt, not %q", format)
	}
	return b.Bytes(), nil
}
