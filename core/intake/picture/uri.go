package picture

import (
	"bytes"
	"encoding/base64"
	"net/url"
	"strings"
)

// DataURI takes a data: reference apart (RFC 2397).
func DataURI(s string) (data []byte, media string, ok bool) {
	s, ok = strings.CutPrefix(s, "data:")
	if !ok {
		return nil, "", false
	}
	media, body, ok := strings.Cut(s, ",")
	if !ok {
		return nil, "", false
	}
	if m, b64 := strings.CutSuffix(media, ";base64"); b64 {
		clean := bytes.Map(func(c rune) rune {
			if c <= ' ' {
				return -1
			}
			return c
		}, []byte(body))
		clean = bytes.TrimRight(clean, "=")
		out := make([]byte, base64.RawStdEncoding.DecodedLen(len(clean)))
		n, err := base64.RawStdEncoding.Decode(out, clean)
		return out[:n], m, err == nil
	}
	t, err := url.PathUnescape(body)
	return []byte(t), media, err == nil
}

// AsURI is a data: reference that holds some bytes.
func AsURI(data []byte) string { return "data:;base64," + base64.StdEncoding.EncodeToString(data) }
