// Package budget says how much of a long test is run: make test takes a sample
// that keeps it within minutes, make test-all, which sets DYEKIT_TEST_ALL, takes
// everything.
package budget

import "os"

// Whole reports whether tests run in full.
func Whole() bool { return os.Getenv("DYEKIT_TEST_ALL") != "" }

// Of returns the size of a test: sample as a rule, whole if tests run in full.
func Of(sample, whole int) int {
	if Whole() {
		return whole
	}
	return sample
}
