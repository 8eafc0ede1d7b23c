package pdf

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strconv"

	"dyekit/core/geom"
)

// Unlock returns a PDF that opens without a password. Files that need none come
// back as they are. The password may be the one to open the file or the one to
// change it; ErrLocked says that it is neither.
func Unlock(ctx context.Context, data []byte, password string) ([]byte, error) {
	if _, err := open(ctx, data, ""); err != ErrLocked {
		return data, nil // open to all, or broken in another way, which Read says
	}
	f, err := open(ctx, data, password)
	if err != nil {
		return nil, err
	}
	return f.write(f.trailer["Root"], nil), nil
}

// Disarm takes out what a file would run, open or send: actions, scripts and
// attached files. changed tells whether there was any.
func Disarm(data []byte) (clean []byte, changed bool, err error) {
	f, err := open(context.Background(), data, "")
	if err != nil {
		return nil, false, err
	}
	clean = f.write(f.trailer["Root"], func(_ int, o any) any {
		o, done := disarmed(o, 0)
		changed = changed || done
		return o
	})
	if !changed {
		return data, false, nil
	}
	return clean, true, nil
}

// armed are the keys under which files keep what they do by themselves.
var armed = []name{"OpenAction", "AA", "JavaScript", "JS", "EmbeddedFiles", "EF", "XFA"}

func disarmed(o any, depth int) (any, bool) {
	if depth > maxNesting {
		return nil, true
	}
	changed := false
	switch o := o.(type) {
	case dict:
		out := dict{}
		for k, v := range o {
			if slices.Contains(armed, k) {
				changed = true
				continue
			}
			if a, ok := v.(dict); ok && k == "A" && a["S"] != nil && doers[nameOf(a["S"])] {
				changed = true
				continue
			}
			w, done := disarmed(v, depth+1)
			changed = changed || done
			out[k] = w
		}
		if doers[nameOf(out["S"])] && out["Type"] != name("Group") { // an action that is an object of its own
			if _, isGroup := out["CS"]; !isGroup && (out["URI"] != nil || out["F"] != nil || nameOf(out["S"]) == "JavaScript" || nameOf(out["S"]) == "Launch") {
				return dict{}, true
			}
		}
		return out, changed
	case array:
		out := make(array, len(o))
		for i, v := range o {
			w, done := disarmed(v, depth+1)
			changed = changed || done
			out[i] = w
		}
		return out, changed
	case *stream:
		d, done := disarmed(o.dict, depth+1)
		return &stream{dict: d.(dict), raw: o.raw}, done
	}
	return o, false
}

func nameOf(o any) name { n, _ := o.(name); return n }

// alone returns a file that holds one page, with a box given in points for all
// of its boxes, not turned: for programs that would heed them.
func (f *file) alone(page dict, box geom.Rect) []byte {
	root := dict{}
	for k, v := range f.dict(f.trailer["Root"]) {
		if k == "Type" || k == "OCProperties" || k == "OutputIntents" {
			root[k] = v
		}
	}
	p := dict{}
	for k, v := range page {
		switch k {
		case "CropBox", "TrimBox", "ArtBox", "BleedBox", "Rotate", "UserUnit", "Parent", "Annots", "AA", "B", "Thumb", "StructParents":
		default:
			p[k] = v
		}
	}
	p["Type"], p["MediaBox"] = name("Page"), array{box.X0, box.Y0, box.X1, box.Y1}
	next := 1
	if all := f.all(); len(all) > 0 {
		next = all[len(all)-1] + 1
	}
	f.known[next], f.where[next] = p, place{at: -1}
	f.known[next+1], f.where[next+1] = dict{"Type": name("Pages"), "Count": 1.0, "Kids": array{ref{num: next}}}, place{at: -1}
	p["Parent"] = ref{num: next + 1}
	root["Pages"] = ref{num: next + 1}
	f.known[next+2], f.where[next+2] = root, place{at: -1}
	return f.write(ref{num: next + 2}, nil)
}

// write lays all objects out anew, changed by change if it is not nil. The same
// file gives the same bytes.
func (f *file) write(root any, change func(num int, o any) any) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.7\n%\xe2\xe3\xcf\xd3\n")
	nums := f.all()
	at := map[int]int{}
	for _, n := range nums {
		o := f.load(n)
		if s, ok := o.(*stream); ok {
			if t := s.dict["Type"]; t == name("ObjStm") || t == name("XRef") {
				continue
			}
		}
		if o == nil || f.lock != nil && n == f.lock.keep {
			continue
		}
		if change != nil {
			o = change(n, o)
		}
		at[n] = b.Len()
		fmt.Fprintf(&b, "%d 0 obj\n", n)
		if s, ok := o.(*stream); ok {
			d := dict{}
			for k, v := range s.dict {
				d[k] = v
			}
			d["Length"] = float64(len(s.raw))
			put(&b, d)
			b.WriteString("\nstream\n")
			b.Write(s.raw)
			b.WriteString("\nendstream")
		} else {
			put(&b, o)
		}
		b.WriteString("\nendobj\n")
	}
	start := b.Len()
	b.WriteString("xref\n0 1\n0000000000 65535 f \n")
	last := 0
	for _, n := range nums {
		if p, ok := at[n]; ok {
			fmt.Fprintf(&b, "%d 1\n%010d 00000 n \n", n, p)
			last = n
		}
	}
	t := dict{"Size": float64(last + 1), "Root": root}
	if id := f.array(f.trailer["ID"]); id != nil {
		t["ID"] = id
	}
	b.WriteString("trailer\n")
	put(&b, t)
	fmt.Fprintf(&b, "\nstartxref\n%d\n%%%%EOF\n", start)
	return b.Bytes()
}

// put writes an object.
func put(b *bytes.Buffer, o any) {
	switch o := o.(type) {
	case nil:
		b.WriteString("null")
	case bool:
		b.WriteString(strconv.FormatBool(o))
	case float64:
		b.WriteString(strconv.FormatFloat(o, 'f', -1, 64))
	case name:
		putName(b, o)
	case text:
		fmt.Fprintf(b, "<%x>", string(o))
	case ref:
		fmt.Fprintf(b, "%d 0 R", o.num)
	case array:
		b.WriteByte('[')
		for i, x := range o {
			if i > 0 {
				b.WriteByte(' ')
			}
			put(b, x)
		}
		b.WriteByte(']')
	case dict:
		keys := make([]name, 0, len(o))
		for k := range o {
			keys = append(keys, k)
		}
		slices.Sort(keys)
		b.WriteString("<<")
		for _, k := range keys {
			putName(b, k)
			b.WriteByte(' ')
			put(b, o[k])
		}
		b.WriteString(">>")
	default:
		b.WriteString("null")
	}
}

func putName(b *bytes.Buffer, n name) {
	b.WriteByte('/')
	for i := range len(n) {
		if c := n[i]; c <= ' ' || c > '~' || c == '#' || isDelimiter(c) {
			fmt.Fprintf(b, "#%02X", c)
		} else {
			b.WriteByte(c)
		}
	}
}
