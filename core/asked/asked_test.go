package asked

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
)

// meant reads the sentences of a file: language, sentence, and what is meant, sorted.
func meant(t *testing.T, name string) (out [][3]string) {
	t.Helper()
	b, err := os.ReadFile("testdata/" + name)
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(b)) {
		if line = strings.TrimSpace(line); line == "" || line[0] == '#' {
			continue
		}
		f := strings.Split(line, " | ")
		if strings.HasSuffix(line, " |") {
			f = append(strings.Split(strings.TrimSuffix(line, " |"), " | "), "")
		}
		if len(f) != 3 {
			t.Fatalf("%s: %q has %d parts", name, line, len(f))
		}
		want := strings.Fields(f[2])
		slices.Sort(want)
		out = append(out, [3]string{f[0], f[1], strings.Join(want, " ")})
	}
	return out
}

// things writes what was understood, sorted.
func things(w Wish) string {
	var got []string
	for _, x := range w.Things {
		got = append(got, fmt.Sprintf("%s=%s", x.Is, x.Value))
	}
	slices.Sort(got)
	return strings.Join(got, " ")
}

// read is what was understood, in the same words.
func read(lang, sentence string) (says string, unknown bool) {
	w := In(lang).Read(sentence)
	var got []string
	for _, x := range w.Things {
		s := fmt.Sprintf("%s=%s", x.Is, x.Value)
		if x.Not {
			s = "!" + s
		}
		got = append(got, s)
	}
	for _, u := range w.Unknown {
		got = append(got, "?"+u)
	}
	slices.Sort(got)
	return strings.Join(got, " "), len(w.Unknown) > 0
}

// Sentences mean what people mean by them.
func TestSentences(t *testing.T) {
	for _, file := range []string{"before.txt", "after.txt", "jobs.txt", "more.txt", "fifth.txt", "sixth.txt"} {
		right, said, wrong := 0, 0, 0
		all := meant(t, file)
		for _, s := range all {
			got, unknown := read(s[0], s[1])
			switch {
			case got == s[2]:
				right++
				continue
			case unknown:
				said++
			default:
				wrong++
			}
			t.Errorf("%s %q is read as\n\t%s, meant is\n\t%s", s[0], s[1], got, s[2])
		}
		t.Logf("%s: %d sentences, %d right, %d otherwise with a word that is said not to be understood, %d wrong", file, len(all), right, said, wrong)
	}
}
