package recipe

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"dyekit/core/colour"
	"dyekit/core/version"
)

const usualNaming = "{brand}_{version}_{size}"

func (r *Recipe) naming() string {
	if r.Naming == "" {
		return usualNaming
	}
	return r.Naming
}

var fieldRE = regexp.MustCompile(`\{([a-z]*)\}`)

// checkNaming refuses patterns with unknown fields or that leave the folder.
func checkNaming(p string) error {
	for _, m := range fieldRE.FindAllStringSubmatch(p, -1) {
		switch m[1] {
		case "brand", "version", "lockup", "size", "ppi", "colour":
		default:
			return fmt.Errorf("%s is not a field known here: {brand} {version} {lockup} {size} {ppi} {colour}", m[0])
		}
	}
	rest := fieldRE.ReplaceAllString(p, "")
	for _, c := range rest {
		if c != '_' && c != '-' && c != '.' && !(c < 0x80 && (unicode.IsLetter(c) || unicode.IsDigit(c))) {
			return fmt.Errorf("%q has %q, which may not stand in a file name here: use letters, digits, _ and -", p, c)
		}
	}
	if strings.Contains(p, "..") || strings.HasPrefix(rest, ".") || strings.HasPrefix(p, ".") || strings.HasPrefix(p, "-") {
		return fmt.Errorf("%q would leave the kit's folder or hide the file", p)
	}
	if !strings.Contains(p, "{") {
		return fmt.Errorf("%q gives every file the same name", p)
	}
	return nil
}

// name fills the pattern. A field that is empty takes its separator with it.
func (r *Recipe) name(brand string, f File) string {
	one := ""
	lockup := ""
	if len(f.Versions) == 1 {
		one = f.Versions[0]
		for _, v := range r.Versions {
			if v.Name == one {
				lockup = v.Lockup
			}
		}
	}
	if f.Entry.Kind().Pages && f.Entry.Pages != OneEach {
		one = ""
	}
	if f.Entry.Kind().Pages && f.Entry.Pages == OneLockup {
		if lockup = r.lockupOf(f.Versions[0]); !strings.Contains(r.naming(), "{lockup}") {
			one = lockup
		}
	}
	values := map[string]string{
		"brand": Slug(brand), "version": Slug(one), "lockup": Slug(lockup),
		"size": f.Size, "colour": string(f.Entry.ColourSpace()),
	}
	if f.PPI > 0 {
		values["ppi"] = strconv.FormatFloat(f.PPI, 'f', -1, 64)
	}
	p := r.naming()
	for _, m := range fieldRE.FindAllStringSubmatch(p, -1) {
		v := values[m[1]]
		if v == "" {
			p = regexp.MustCompile(`[_.-]?`+regexp.QuoteMeta(m[0])).ReplaceAllString(p, "")
			continue
		}
		p = strings.ReplaceAll(p, m[0], v)
	}
	p = strings.Trim(p, "_-.")
	if p == "" {
		p = Slug(brand)
	}
	return Portable(p + "." + f.Entry.Kind().Ext)
}

// Name is the name of the one file that an entry asks for, of its first version in a lockup,
// by a pattern of names; the usual one if it is empty.
func Name(brand, naming, lockup string, e Entry) string {
	r := Recipe{Naming: naming, Versions: []version.Spec{{Name: e.Versions[0], Lockup: lockup}}}
	f := File{Versions: e.Versions[:1], Entry: e, Size: e.Sizes(), PPI: e.PPI}
	if e.Kind().Pixels && f.PPI == 0 {
		f.PPI = 72
	}
	return r.name(brand, f)
}

// reservedRE is the names that some systems keep for devices, whatever follows
// the first dot (common practice).
var reservedRE = regexp.MustCompile(`(?i)^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\.|$)`)

// Portable is a name of a file or folder, without a path, that every system can
// keep: none that is reserved, none that ends in a dot.
func Portable(name string) string {
	name = strings.TrimRight(name, ". ")
	if m := reservedRE.FindStringSubmatch(name); m != nil {
		return m[1] + "_" + name[len(m[1]):]
	}
	return name
}

// Slug makes a word that is safe as a file name everywhere: lower-case ASCII
// letters and digits joined by hyphens, at most 60 long. Accents are dropped.
func Slug(s string) string {
	var b strings.Builder
	gap := false
	for _, c := range norm.NFKD.String(s) {
		c = unicode.ToLower(c)
		switch {
		case c == 'ß':
			b.WriteString("ss")
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			if gap && b.Len() > 0 {
				b.WriteByte('-')
			}
			gap = false
			b.WriteRune(c)
		case unicode.Is(unicode.Mn, c):
		default:
			gap = true
		}
		if b.Len() >= 60 {
			break
		}
	}
	return b.String()
}

func nearWhite(hex string) bool {
	if hex == "" {
		return true // the usual backing is white
	}
	c, err := colour.ParseHex(hex)
	return err == nil && c.NearWhite()
}
