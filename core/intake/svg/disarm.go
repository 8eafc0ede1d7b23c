package svg

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

var attrRE = regexp.MustCompile(`\s*([\w:.-]+)\s*=\s*("[^"]*"|'[^']*')`)

// mayRun reports whether an attribute may be a program, by its name.
func mayRun(a xml.Attr) bool {
	full := strings.ToLower(a.Name.Space + a.Name.Local)
	return strings.HasPrefix(full, "on") || strings.HasSuffix(full, "href")
}

// Disarm returns a drawing without what runs in a browser: scripts, event
// handlers, and links that are programs. All else stays as it was written, byte
// for byte; what was packed is unpacked only if something had to go.
func Disarm(data []byte) (clean []byte, changed bool, err error) {
	plain, err := decode(data)
	if err == nil {
		plain, err = expand(plain) // entities may hide anything
	}
	if err != nil {
		return nil, false, err
	}
	back := func(b []byte) []byte { return b }
	if !utf8.Valid(plain) {
		// In another encoding, of which the markup is ASCII: each byte goes through
		// as the letter of its number, and comes back as it was.
		wide := make([]rune, len(plain))
		for i, b := range plain {
			wide[i] = rune(b)
		}
		plain = []byte(string(wide))
		back = func(b []byte) []byte {
			out := make([]byte, 0, len(b))
			for _, r := range string(b) {
				out = append(out, byte(r))
			}
			return out
		}
	}
	d := xml.NewDecoder(bytes.NewReader(plain))
	d.Strict = false
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil } // bytes are kept as they are
	var out bytes.Buffer
	depth := 0 // within scripts
	for at := int64(0); ; {
		t, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, false, err
		}
		from := at
		at = d.InputOffset()
		raw := plain[from:at]
		switch t := t.(type) {
		case xml.StartElement:
			if strings.EqualFold(t.Name.Local, "script") {
				depth++
			}
			if depth == 0 && slices.ContainsFunc(t.Attr, mayRun) {
				raw = attrRE.ReplaceAllFunc(raw, func(a []byte) []byte {
					m := attrRE.FindSubmatch(a)
					name := strings.ToLower(string(m[1]))
					value := strings.ToLower(strings.Join(strings.Fields(string(m[2])), ""))
					if strings.HasPrefix(name, "on") || strings.HasSuffix(name, "href") && strings.HasPrefix(strings.Trim(value, `"'`), "javascript:") {
						return nil
					}
					return a
				})
			}
		case xml.EndElement:
			if depth > 0 && strings.EqualFold(t.Name.Local, "script") {
				if depth--; depth == 0 {
					continue
				}
			}
		}
		if depth == 0 {
			out.Write(raw)
		}
	}
	if bytes.Equal(out.Bytes(), plain) {
		return data, false, nil
	}
	return back(out.Bytes()), true, nil
}
