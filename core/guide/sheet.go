package guide

// A Sheet is the brand sheet as a page of the kit.
type Sheet struct {
	Brand, Line, Language string
	Pages                 [][]byte // PNG
	Inks                  []SheetInk
}

// A SheetInk is an ink with its values, to be copied.
type SheetInk struct {
	Name, Hex string
	Values    []string
}

// A Snippet is what stands in a site for the mark: HTML.
type Snippet struct {
	Brand, Code string
}
