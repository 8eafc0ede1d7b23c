package main

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// sources calls f with each Go file of the tree.
func sources(t *testing.T, f func(path string)) {
	t.Helper()
	err := filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && strings.HasPrefix(d.Name(), ".") && d.Name() != "..":
			return fs.SkipDir
		case strings.HasSuffix(path, ".go"):
			f(path)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// A line of the pages on security and reliability stands with its test: each names one, or
// says that something is not kept, and each test that is named is there.
func TestDocsNameTheirTests(t *testing.T) {
	there := map[string]bool{}
	test := regexp.MustCompile(`\b(?:Test|Fuzz|Benchmark)[A-Z]\w*`)
	sources(t, func(path string) {
		if !strings.HasSuffix(path, "_test.go") {
			return
		}
		b, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range regexp.MustCompile(`(?m)^func (\w+)\(`).FindAllSubmatch(b, -1) {
			there[string(m[1])] = true
		}
	})
	pages, err := filepath.Glob("../../docs/*.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, page := range pages {
		b, err := os.ReadFile(page)
		if err != nil {
			t.Fatal(err)
		}
		kept := slices.Contains([]string{"security.md", "reliability.md"}, filepath.Base(page))
		header := ""
		for line := range strings.Lines(string(b)) {
			names := test.FindAllString(line, -1)
			for _, n := range names {
				if !there[n] {
					t.Errorf("%s names %s, which is not there", page, n)
				}
			}
			row := strings.HasPrefix(line, "|")
			if row && header == "" {
				header = line
			} else if !row {
				header = ""
			}
			// Tables that claim something say so in their first row.
			claims := strings.HasPrefix(line, "- ") || row && line != header && !strings.HasPrefix(line, "|---") && regexp.MustCompile(`\| (test|what is seen) \|\n$`).MatchString(header)
			if kept && claims && len(names) == 0 && !regexp.MustCompile(`not kept|not offered|not used|left to whoever runs it`).MatchString(line) {
				t.Errorf("%s has a line without a test: %.80s", page, line)
			}
		}
	}
}

// Nothing here hashes, seals or draws lots by what is broken or guessable: the list of
// algorithms in docs/security.md is whole.
func TestCryptography(t *testing.T) {
	weak := []string{"crypto/md5", "crypto/sha1", "crypto/des", "crypto/rc4", "crypto/dsa", "crypto/aes", "crypto/cipher", "crypto/rsa", "math/rand", "math/rand/v2"}
	needed := map[string][]string{ // where nothing of ours depends on it
		"core/intake/pdf/lock.go":     {"crypto/aes", "crypto/cipher", "crypto/md5", "crypto/rc4"}, // opens what others locked, as ISO 32000 7.6 has it
		"internal/hostile/hostile.go": {"math/rand/v2"},                                            // the same each time
		"studio/decide.go":            {"math/rand/v2"},                                            // how long to wait before another try
		"studio/queue/tx.go":          {"math/rand/v2"},                                            // the same
	}
	sources(t, func(path string) {
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			t.Fatal(err)
		}
		for _, i := range f.Imports {
			name, err := strconv.Unquote(i.Path.Value)
			if err != nil {
				t.Fatal(err)
			}
			file, err := filepath.Rel("../..", path)
			if err != nil {
				t.Fatal(err)
			}
			if !slices.Contains(weak, name) {
				continue
			}
			if !slices.Contains(needed[file], name) {
				t.Errorf("%s takes %s", file, name)
			}
			needed[file] = slices.DeleteFunc(needed[file], func(s string) bool { return s == name })
		}
	})
	for file, names := range needed {
		if len(names) > 0 {
			t.Errorf("%s does not take %v any more", file, names)
		}
	}
}
