package advice

// A Use is what somebody wants a mark for, and the file that serves it best.
type Use struct {
	Use  string `json:"use"`
	File string `json:"file"`
	Why  string `json:"why"`
}
