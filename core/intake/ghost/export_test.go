package ghost

import "time"

// SetPatience changes how long a run may take, until the function that it returns
// is called.
func SetPatience(d time.Duration) (back func()) {
	old := patience
	patience = d
	return func() { patience = old }
}
