package web

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/internal/budget"
)

// Every screen keeps the rules of axe-core, good practice among them, and has one
// heading of the first level, on a desk and on a phone. The journeys try most screens in
// their states; here they are all in a row.
func TestScreensAreAccessible(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	screens := strings.Fields(`/ /new /typed /compose /house /scripts /signin /forgot /nowhere
		/marks/1/master /marks/1/inks /marks/1/versions /marks/1/wall /marks/1/files /marks/1/files?edit=1 /marks/2/proof?view=small /marks/2/proof?view=use
		/marks/2/parts /marks/2/frame /marks/2/finish /marks/2/photos /marks/2/sheet /marks/2/kit /marks/4/versions /marks/4/files /marks/3/trace /marks/3/master /kits/1/hand /kits/1/page`)
	for i, page := range screens {
		for k, width := range []int64{1280, 390} {
			if !budget.Whole() && (i+k)%6 != 0 {
				continue
			}
			tab.Do(chromedp.EmulateViewport(width, 800))
			tab.Do(chromedp.Navigate(tab.Base + page))
			tab.Until(`document.readyState === "complete"`)
			tab.Accessible(fmt.Sprintf("%s at %d px", page, width))
			if n := tab.Eval(`"" + document.querySelectorAll("h1").length`); n != "1" {
				t.Errorf("%s has %s headings of the first level", page, n)
			}
		}
	}
}
