package main

import (
	"debug/buildinfo"
	"os"
	"regexp"
	"testing"
)

// docs/dependencies.md lists the modules that the program is built from, each with its
// version, and no other.
func TestDependencies(t *testing.T) {
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		t.Fatal(err)
	}
	page, err := os.ReadFile("../../docs/dependencies.md")
	if err != nil {
		t.Fatal(err)
	}
	listed := map[string]string{}
	for _, m := range regexp.MustCompile(`(?m)^\| ([a-z0-9.]+\.[a-z]+/\S+|filippo\S+|go\.\S+) \| (v\S+) \|`).FindAllStringSubmatch(string(page), -1) {
		listed[m[1]] = m[2]
	}
	for _, d := range info.Deps {
		if listed[d.Path] != d.Version {
			t.Errorf("%s is built in as %s and listed as %q", d.Path, d.Version, listed[d.Path])
		}
		delete(listed, d.Path)
	}
	for path := range listed {
		t.Errorf("%s is listed and not built in", path)
	}
}
