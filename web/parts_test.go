package web

import (
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dyekit/internal/testkit"
)

// press clicks on the art at a share of its width and height.
func press(tab *testkit.Tab, x, y string) {
	tab.Eval(`(() => {
		const b = document.getElementById("art").getBoundingClientRect();
		for (const kind of ["pointerdown", "pointerup"])
			document.getElementById("board").dispatchEvent(new PointerEvent(kind, {pointerId: 1, clientX: b.left + b.width * ` + x + `, clientY: b.top + b.height * ` + y + `, bubbles: true}));
		return "";
	})()`)
}

const loose = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 100"><circle cx="50" cy="50" r="40" fill="#206047"/><path d="M120 30h30v40h-30z"/><path d="M160 30h30v40h-30z"/><path d="M200 30h30v40h-30z"/></svg>`

// From pieces to parts, by picking and by what lies so; from parts to a lockup
// and a version of it.
func TestPartsAreNamed(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Drop(".take", "loose.svg", loose)
	tab.Type("input[name=client]", "Vat Nine")
	tab.Click(".take button.is-primary")
	tab.At("/master")
	tab.Go("/marks/1/parts")
	tab.Accessible("parts without names")

	// Picked on the art, piece by piece; a second click leaves it out again.
	count := `document.querySelector(".naming [aria-live]").textContent`
	press(tab, "0.125", "0.5")
	tab.Until(count + ` === "1 piece picked"`)
	press(tab, "0.34", "0.5")
	tab.Until(count + ` === "2 pieces picked"`)
	press(tab, "0.34", "0.5")
	tab.Until(count + ` === "1 piece picked"`)
	tab.Until(`document.getElementById("art").src.includes("lit.png")`)
	tab.Type("#naming input[name=name]", "disc")
	tab.Click("#naming .is-link")
	tab.Until(`[...document.querySelectorAll(".bundles summary b")].some(b => b.textContent === "disc")`)

	// A name that cannot be is refused beside it, and kept.
	tab.Type("#naming input[name=name]", "a+b")
	tab.Click("#naming .is-link")
	tab.Until(`document.querySelector(".notification.is-danger")`)
	if v := tab.Eval(`document.querySelector("#naming input[name=name]").value`); v != "a+b" {
		t.Errorf("the field holds %q", v)
	}
	// How the pieces lie says more.
	tab.Click(".hint .is-link")
	tab.Until(`[...document.querySelectorAll(".bundles summary b")].map(b => b.textContent).join() === "symbol,wordmark"`)
	tab.Until(`document.querySelector(".new-lockup img").naturalWidth > 0`)
	tab.Do(chromedp.SetValue(chromedp.CSS(".new-lockup [name=placed]"), "stacked"))
	tab.Type(".new-lockup [name=lockup]", "tall")
	tab.Click(".new-lockup .is-link")
	tab.Until(`document.querySelector(".lockups b")`)
	if s := tab.Eval(`document.querySelector(".lockups li").textContent`); !strings.Contains(s, "tall") || !strings.Contains(s, "stacked") {
		t.Errorf("the lockup is %s", s)
	}
	tab.Accessible("parts with a lockup")
	// As the standard one it stands for the whole mark.
	tab.Go("/marks/1/wall")
	wide := tab.Eval(`document.querySelector(".cell img").src`)
	tab.Go("/marks/1/parts")
	tab.Click("[name=make-standard]")
	tab.Until(`document.querySelector(".lockups .signal")`)
	tab.Go("/marks/1/wall")
	if tall := tab.Eval(`document.querySelector(".cell img").src`); tall == wide {
		t.Error("the versions look as before")
	}
	tab.Go("/marks/1/parts")
	tab.Key("z")
	tab.Until(`!document.querySelector(".lockups .signal") && document.querySelector(".lockups b")`)
	tab.Do(chromedp.EmulateViewport(390, 800))
	if over := tab.Eval(`document.documentElement.scrollWidth - window.innerWidth`); over != "0" {
		t.Errorf("at 390 px the page is %s px too wide", over)
	}
	for _, q := range []string{"at?x=1&y=2", "at?x=1&y=2&r=-1", "at?x=NaN&y=1&r=1", "lit.png?pieces=a", "lit.png", "mend.png?mend=polish", "lockup.png?parts=ghost"} {
		fetch(t, tab.Base+"/marks/1/"+q, http.StatusNotFound)
	}
}

// A click on the master says what is there and which findings are about it; a
// mend is seen in place before it is taken.
func TestPickedOnTheMaster(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Drop(".take", "gate.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path id="left" d="M5 5h60v20h-40v50h40v20h-60z"/><path d="M60 5h35v90h-35z" fill="#206047"/><path id="dot" d="M70 40h10v10h-10z" fill="#fff"/></svg>`)
	tab.Type("input[name=client]", "Vat Nine")
	tab.Click(".take button.is-primary")
	tab.At("/master")
	press(tab, "0.75", "0.45")
	tab.Until(`document.querySelector(".picked b").textContent === "piece 3, part dot"`)
	if s := tab.Eval(`document.querySelector(".findings .of-it").textContent`); !strings.Contains(s, "White paint lies over ink") {
		t.Errorf("the finding lit is %s", s)
	}
	press(tab, "0.4", "0.5")
	tab.Until(`document.querySelector(".picked b").textContent.startsWith("a bare place")`)
	tab.Accessible("a picked place")
	tab.Eval(`document.querySelector("[data-mend]").dispatchEvent(new MouseEvent("mouseenter")) || ""`)
	tab.Until(`document.getElementById("art").src.includes("mend.png") && document.querySelector(".trying").textContent === "as it would be"`)
	tab.Eval(`document.querySelector("[data-mend]").dispatchEvent(new MouseEvent("mouseleave")) || ""`)
	tab.Until(`document.getElementById("art").src.includes("whole.png")`)
	tab.Eval(`[...document.querySelectorAll(".picked button")].find(b => b.textContent.endsWith("#206047")).click() || ""`)
	tab.Until(`[...document.querySelectorAll(".findings .mended")].some(li => li.textContent.includes("was filled with #206047"))`)
}

// Several files become candidates; one that cannot be read fails alone and
// says why; one is chosen, one becomes a mark.
func TestCandidates(t *testing.T) {
	t.Parallel()
	_, h := open(t, false)
	tab := browser.Tab(t, h)
	tab.Go("/new")
	tab.Type("input[name=client]", "Vat Nine")
	tab.Eval(`(() => {
		const dt = new DataTransfer();
		dt.items.add(new File([` + "`" + loose + "`" + `], "loose.svg"));
		dt.items.add(new File(["no drawing"], "notes.txt"));
		dt.items.add(new File([` + "`" + `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 900 300"><circle cx="120" cy="150" r="90"/><path d="M690 60h180v180h-180z"/></svg>` + "`" + `], "two.svg"));
		const el = document.querySelector(".take");
		el.dispatchEvent(new DragEvent("drop", {bubbles: true, cancelable: true, dataTransfer: dt}));
		return "";
	})()`)
	tab.Do(chromedp.SetValue(chromedp.CSS(".take [name=several]"), "designs"))
	tab.Click(".take button.is-primary")
	tab.Until(`document.querySelectorAll(".sending .done").length === 2 && document.querySelector(".sending .failed")`)
	if s := tab.Eval(`document.querySelector(".sending .failed").textContent`); !strings.Contains(s, "notes.txt cannot be taken in") || !strings.Contains(s, "Try again") {
		t.Errorf("the failed file says %s", s)
	}
	tab.Accessible("files sent")
	tab.Click(".take a.button")
	tab.At("/candidates")
	tab.Until(`document.querySelectorAll(".candidate").length === 3`)
	tab.Go("/") // whoever comes back finds them
	tab.Click(".notification.is-warning a")
	tab.At("/candidates")
	tab.Click(".candidate:nth-child(2) [value=choose]")
	tab.Until(`document.querySelector(".candidate:nth-child(2).chosen")`)
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	tab.Accessible("candidates")
	tab.Type(".candidate:nth-child(2) [name=mark]", "Disc")
	tab.Click(".candidate:nth-child(2) [value=mark]")
	tab.At("/master")
	if s := tab.Eval(`document.querySelector(".under").textContent`); !strings.Contains(s, "art 180 × 180 px") {
		t.Errorf("the mark is %s", s)
	}
	tab.Go("/clients/1/candidates")
	tab.Type(".candidate:nth-child(3) [name=mark]", "Disc")
	tab.Click(".candidate:nth-child(3) [value=mark]")
	tab.Until(`document.querySelector(".candidate:nth-child(3) .notification.is-danger")`)
	tab.Click(".candidate:nth-child(1) [value=drop]")
	tab.Until(`document.querySelectorAll(".candidate").length === 2`)
	for _, p := range []string{"/clients/9/candidates", "/clients/x/candidates", "/candidates/1/picture"} {
		fetch(t, tab.Base+p, http.StatusNotFound)
	}
}

// Two people change one mark: the later sees what happened, and nothing that
// the earlier did is lost or taken back unseen.
func TestTwoPeople(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	one, two := browser.Tab(t, h), browser.Tab(t, h)
	one.Go("/marks/1/master")
	two.Do(chromedp.Navigate(one.Base + "/marks/1/master"))
	two.Until("document.readyState === 'complete' && !!window.Alpine")
	one.Click(".findings .warn button") // the backing goes
	one.Until(`document.querySelector(".history")`)
	one.Eval(`document.querySelector(".history").open = true`)
	// A tab in the background may lose keys: what they would do is done at once.
	one.Eval(`(() => { const i = document.querySelector("input[name=who]"); i.value = "Ada"; i.form.requestSubmit(); return ""; })()`)
	one.Until(`document.readyState === "complete" && document.querySelector("input[name=who]").defaultValue === "Ada"`)
	one.Click(".history ~ .foot form[action$='/undo'] button")
	one.Until(`document.querySelector(".findings .warn")`)
	one.Click(".findings .warn button")
	one.Until(`document.querySelector(".history") && document.querySelector(".history").textContent.includes("Ada, today")`)

	two.Key("z")
	two.Until(`document.querySelector(".notification.is-danger") && [...document.querySelectorAll(".findings button")].some(b => b.textContent === "Make holes of it")`) // sees the newest state
	two.Eval(`[...document.querySelectorAll(".findings button")].find(b => b.textContent === "Make holes of it").click() || ""`)
	two.Until(`[...document.querySelectorAll(".findings button")].some(b => b.textContent === "Paint it again")`)
	one.Eval(`document.querySelector(".history ~ .foot form[action$='/undo']").requestSubmit() || ""`)
	one.Until(`document.querySelector(".notification.is-warning") && document.querySelector(".notification.is-warning").textContent.includes("Nothing was undone")`)

	// A change made on a page that is not the newest comes on top and says so.
	two.Go("/marks/1/parts")
	one.Go("/marks/1/parts")
	for _, tab := range []*testkit.Tab{one, two} {
		press(tab, "0.5", "0.12")
		tab.Until(`document.querySelector(".naming [aria-live]").textContent === "1 piece picked"`)
	}
	one.Type("#naming input[name=name]", "rim")
	one.Click("#naming .is-link")
	one.Until(`[...document.querySelectorAll(".bundles b")].some(b => b.textContent === "rim")`)
	two.Type("#naming input[name=name]", "edge")
	two.Click("#naming .is-link")
	two.Until(`document.querySelector(".notification.is-warning") && document.querySelector(".notification.is-warning").textContent.includes("named: rim, by Ada")`)
}

// The gaps of a lockup are set one by one: by dragging in the picture, by keys,
// and what stands in the field is what is kept.
func TestGapsAreDragged(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/parts")
	tab.Eval(`(() => {
		const f = document.querySelector(".new-lockup");
		[f.elements.first.value, f.elements.second.value, f.elements.third.value, f.elements.placed.value, f.elements.lockup.value] = ["symbol", "wordmark", "tagline", "stacked", "tall"];
		f.elements.first.dispatchEvent(new Event("change", {bubbles: true}));
		return ""; })()`)
	// The boxes come with the picture: what is dragged before it is there moves by
	// another scale.
	tab.Until(`document.querySelectorAll(".making .grip").length === 2 && document.querySelector(".making img").complete && document.querySelector(".making img").naturalWidth > 0`)
	tab.Eval(`(() => {
		const g = document.querySelectorAll(".making .grip")[1], r = g.getBoundingClientRect();
		g.setPointerCapture = () => {};
		const at = (type, y) => g.dispatchEvent(new PointerEvent(type, {bubbles: true, button: 0, pointerId: 1, clientX: r.left, clientY: y}));
		at("pointerdown", r.top); at("pointermove", r.top + 12); at("pointerup", r.top + 12);
		return ""; })()`)
	tab.Until(`/^30, [3-9][0-9]$/.test(document.querySelector(".new-lockup").elements.gap.value)`)
	tab.Until(`document.querySelectorAll(".making .grip").length === 2`)
	tab.Eval(`document.querySelector(".making .grip").dispatchEvent(new KeyboardEvent("keydown", {key: "ArrowDown", bubbles: true})) || ""`)
	tab.Until(`document.querySelector(".new-lockup").elements.gap.value.startsWith("35, ")`)
	tab.Click(".new-lockup .is-link")
	tab.Until(`document.querySelector(".lockups b") && document.querySelector(".lockups b").textContent === "tall"`)
	m, err := s.Mark(t.Context(), 2)
	if err != nil {
		t.Fatal(err)
	}
	d, err := m.Decisions()
	if err != nil || len(d.Lockups) != 1 || len(d.Lockups[0].Gaps) != 2 || d.Lockups[0].Gaps[0] != 0.35 || d.Lockups[0].Gaps[1] <= 0.3 {
		t.Errorf("kept: %+v, %v", d.Lockups, err)
	}
	for _, e := range tab.Errors() {
		t.Errorf("the console says: %s", e)
	}
}

// A file dropped anywhere on a mark's page is asked about and becomes its new
// master; dropped anywhere on the desk it goes into the form there.
func TestDroppedAnywhere(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	const drop = `(() => {
		const d = new DataTransfer();
		d.items.add(new File(['<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="5" height="9" fill="#123"/></svg>'], "new-art.svg", {type: "image/svg+xml"}));
		const e = new DragEvent("drop", {bubbles: true, cancelable: true, dataTransfer: d});
		document.querySelector(PLACE).dispatchEvent(e);
		return String(e.defaultPrevented); })()`
	tab.Go("/")
	if v := tab.Eval(strings.Replace(drop, "PLACE", `".hang"`, 1)); v != "true" {
		t.Error("the browser would open the file")
	}
	tab.Until(`document.querySelector(".take .chosen").textContent === "new-art.svg"`)
	tab.Go("/marks/2/files")
	tab.Eval(strings.Replace(drop, "PLACE", `"#list"`, 1))
	tab.Until(`document.querySelector("#dropped[open] .name").textContent === "new-art.svg"`)
	tab.Click("#dropped .is-primary")
	tab.At("/compare")
	tab.Until(`document.querySelector("#work h2").textContent.includes("master 2")`)
}
