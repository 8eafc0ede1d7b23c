package text

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// The order of letters is that of BidiCharacterTest.txt of the Unicode Consortium, which the
// module go-text/typesetting carries; lines with signs that order others are refused
// before, and left out.
func TestOrder(t *testing.T) {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/go-text/typesetting").Output()
	if err != nil {
		t.Fatal(err)
	}
	f, err := os.Open(filepath.Join(strings.TrimSpace(string(dir)), "bidi/test/BidiCharacterTest.txt"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	lines, bad := 0, 0
	for in := bufio.NewScanner(f); in.Scan(); {
		fields := strings.Split(in.Text(), ";")
		if strings.HasPrefix(in.Text(), "#") || len(fields) != 5 {
			continue
		}
		var letters []rune
		for h := range strings.FieldsSeq(fields[0]) {
			c, err := strconv.ParseUint(h, 16, 32)
			if err != nil {
				t.Fatal(err)
			}
			letters = append(letters, rune(c))
		}
		if Controlled(letters) || slices.ContainsFunc(letters, func(c rune) bool { return c == 0x2029 || c == '\n' || c == '\r' || c >= 0x1c && c <= 0x1e || c == 0x85 }) {
			continue
		}
		var got []int
		for _, p := range parts(letters, []Direction{Rightwards, Leftwards, ByLetters}[fields[1][0]-'0']) {
			for i := p.from; i < p.to; i++ {
				if p.left {
					got = append(got, p.to-1-(i-p.from))
				} else {
					got = append(got, i)
				}
			}
		}
		// Signs without a level are no letters.
		levels := strings.Fields(fields[3])
		got = slices.DeleteFunc(got, func(i int) bool { return levels[i] == "x" })
		if lines++; strings.Trim(fmt.Sprint(got), "[]") != strings.TrimSpace(fields[4]) {
			if bad++; bad < 20 {
				t.Errorf("%s by %s: %v, want %s (levels %s)", fields[0], fields[1], got, fields[4], fields[3])
			}
		}
	}
	if lines < 1000 {
		t.Fatalf("%d lines", lines)
	}
	if bad > 0 {
		t.Errorf("%d of %d lines differ", bad, lines)
	}
}
