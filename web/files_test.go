package web

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// The recipe is changed in its table: what it would make is shown before it is
// kept, wrong entries say so beside the table, and stretching takes two words.
func TestRecipeTable(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/files?edit=1")
	tab.Accessible("the recipe's table")
	set := func(name, value string) {
		tab.Eval(`(() => { const f = document.querySelector('#table [name="` + name + `"]'); f.value = "` + value + `"; f.dispatchEvent(new Event("change", {bubbles: true})); return ""; })()`)
	}
	list := `document.querySelector("#list").textContent`
	set("sizes.0", "640, h200")
	tab.Until(list + `.includes("teahouse_colour_640.png") && ` + list + `.includes("teahouse_colour_h200.png") && !` + list + `.includes("_3000.png")`)
	tab.Until(`document.querySelector("#trying").textContent === "not kept yet"`)
	set("sizes.0", "large")
	tab.Until(`document.querySelector("#table .notification.is-danger")`)
	if s := tab.Eval(`document.querySelector("#table .notification.is-danger").textContent`); !strings.Contains(s, `Line 1, png: "large" is no size`) {
		t.Errorf("the error says %q", s)
	}
	if !strings.Contains(tab.Eval(list), "_3000.png") {
		t.Error("the files are not those that were kept")
	}
	set("sizes.0", "640")
	set("folders", "version")
	tab.Until(`document.querySelector("#tree").textContent.includes("colour/odd-kettle")`)
	set("naming", "{brand}_{version}_{version}_{size}") // shown before it is kept, not refused
	tab.Until(`document.querySelector("#table .odd") && document.querySelector("#table .odd").textContent.includes("says colour twice")`)
	set("naming", "{brand}_{version}_{size}")
	tab.Until(`!document.querySelector("#table .odd")`)
	set("stretch.0", "640x100")
	tab.Until(`document.querySelector("#table .notification.is-danger") && document.querySelector("#table .notification.is-danger").textContent.includes("distorts the mark")`)
	tab.Eval(`document.querySelector('[name="sure.0"]').click() || ""`)
	tab.Until(list + `.includes("teahouse_colour_640x100.png")`)
	tab.Eval(`document.querySelector('[name="drop.1"]').click() || ""`)
	tab.Until(`!` + list + `.includes("8x10in")`)
	tab.Click("#table .is-link")
	tab.Until(`!document.querySelector("#table") && ` + list + `.includes("teahouse_colour_640x100.png")`)
	if s := tab.Eval(`document.querySelector(".own").textContent`); !strings.Contains(s, "this mark’s own") {
		t.Errorf("the recipe is said to be %s", s)
	}

	// It is saved, compared, taken along, and taken by another mark.
	tab.Eval(`document.querySelector(".recipe details").open = true`)
	tab.Do(chromedp.SetValue(chromedp.CSS("[name=as]"), "Signs"))
	tab.Click("[name=for][value=all]")
	tab.Click("[name=save]")
	tab.Until(`[...document.querySelectorAll(".choice b")].some(b => b.textContent === "Signs")`)
	tab.Go("/marks/2/files?with=standard")
	if s := tab.Eval(`document.querySelector(".diff").textContent`); !strings.Contains(s, "PNG/odd-kettle-teahouse_colour_3000.png (3000") || !strings.Contains(s, "640x100.png") {
		t.Errorf("compared: %s", s)
	}
	tab.Accessible("compared recipes")
	b := fetch(t, tab.Base+"/marks/2/recipe.json", http.StatusOK)
	if !strings.Contains(string(b), `"stretch": "640x100"`) {
		t.Errorf("the recipe as a file: %s", b)
	}
	tab.Go("/marks/1/files")
	tab.Eval(`[...document.querySelectorAll(".choice")].find(c => c.textContent.includes("Signs")).querySelector("input").click() || ""`)
	tab.Click(".recipe > form .is-link")
	tab.Until(list + `.includes("tramway_colour_640x100.png")`)
	take := func(body string) {
		tab.Eval(`(() => {
			const dt = new DataTransfer();
			dt.items.add(new File([` + "`" + body + "`" + `], "recipe.json"));
			document.querySelector("input[name=file]").files = dt.files;
			document.querySelector("input[name=file]").form.querySelector("button").click();
			return "";
		})()`)
	}
	take(`{"name": "x", "files": [{"format": "gif"}]}`)
	tab.Until(`document.querySelector(".recipe .notification.is-danger")`)
	take(`{"name": "flat", "versions": [{"name": "colour", "treatment": "as-drawn"}], "files": [{"format": "svg"}]}`)
	tab.Until(list + `.includes("tramway_colour.svg") && ! ` + list + `.includes("640x100")`)
	tab.Key("z")
	tab.Until(list + `.includes("tramway_colour_640x100.png")`)
	fetch(t, tab.Base+"/marks/1/files?with=saved:99", http.StatusNotFound)
	fetch(t, tab.Base+"/marks/1/files?with=nosuch", http.StatusUnprocessableEntity)
}

// The frame is set on the picture, by fields and by dragging, and seen before
// it is kept; two versions over each other sit alike.
func TestFrameOnThePicture(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/frame")
	tab.Accessible("the frame")
	says := `document.querySelector(".framed .under").textContent`
	tab.Until(says + `.includes("frame 436 × 616 px")`)
	tab.Eval(`(() => {
		const mount = document.getElementById("mount");
		const svg = mount.querySelector(".lines");
		const [x0, y0] = mount.dataset.art.split(" ").map(Number);
		const at = new DOMPoint(x0 - 57, y0 + 100).matrixTransform(svg.getScreenCTM());
		for (const kind of ["pointerdown", "pointermove", "pointerup"])
			mount.dispatchEvent(new PointerEvent(kind, {pointerId: 1, clientX: at.x, clientY: at.y, bubbles: true, cancelable: true}));
		return "";
	})()`)
	tab.Until(says + `.includes("frame 504 × 684 px")`) // 10 % of 570 px all round
	tab.Until(`document.querySelector("#frame-form [role=status]").textContent === "not kept yet"`)
	tab.Click("[name=by][value=part]")
	tab.Do(chromedp.SetValue(chromedp.CSS("[name=times]"), "2"), chromedp.SetValue(chromedp.CSS("[name=part]"), "tagline"))
	tab.Eval(`document.querySelector("[name=times]").dispatchEvent(new Event("change", {bubbles: true})) || ""`)
	tab.Until(`!` + says + `.includes("frame 504")`)
	tab.Do(chromedp.SetValue(chromedp.CSS("[name=smallest]"), "600px"))
	tab.Click("#frame-form .is-link")
	tab.Until(`document.querySelector("[name=smallest]").value === "600px" && document.querySelector("#frame-form [role=status]").textContent === ""`)
	tab.Go("/marks/2/files")
	if s := tab.Eval(`document.querySelector("main").textContent`); !strings.Contains(s, "2 heights of tagline") || !strings.Contains(s, "narrower than the smallest size, 600 px") {
		t.Errorf("the files page says %s", s)
	}
	tab.Go("/marks/2/frame?version=black&over=white")
	tab.Until(`[...document.images].every(i => i.naturalWidth > 0)`)
	tab.Accessible("two versions over each other")
	fetch(t, tab.Base+"/marks/2/frame.png?version=black&over=ghost&box=0,0,9,9", http.StatusNotFound)
	fetch(t, tab.Base+"/marks/2/frame.png?version=black&box=0,0,9", http.StatusNotFound)
}

// Files are chosen by their uses: a chip takes a size away, a field adds one, a
// version is put out and in, a use brings its lines, a frame is dragged.
func TestFilesByUse(t *testing.T) {
	t.Parallel()
	_, h := open(t, true)
	tab := browser.Tab(t, h)
	tab.Go("/marks/2/files")
	tab.Accessible("files by use")
	list := `document.querySelector("#list").textContent`
	tab.Click(`#uses [value="without 0 500"]`)
	tab.Until(`!` + list + `.includes("_500.png") && document.querySelector("#undo button").disabled === false`)
	tab.Eval(`(() => { const f = document.querySelector("#uses input[name=typed]"); f.value = "60 mm at 300 ppi"; f.focus(); return ""; })()`)
	tab.Key(kb.Enter)
	tab.Until(list + `.includes("_60mm") && ` + list + `.includes("300 ppi")`)
	tab.Click(`#uses [value="version 0 black"]`)
	tab.Until(`document.querySelector('#uses [value="version 0 black"]').getAttribute("aria-pressed") === "false" && !` + list + `.includes("_black_1000.png")`)
	// A stroke over squares is one change; the first says whether they go in or out.
	tab.Eval(`(() => {
		const at = (type, s) => document.querySelector('[data-at="' + s + '"]').dispatchEvent(new PointerEvent(type, {bubbles: true, button: 0, pointerId: 1}));
		at("pointerdown", "3:black"); at("pointerover", "3:white"); at("pointerover", "4:white"); at("pointerup", "4:white");
		return ""; })()`)
	pressed := `[...document.querySelectorAll(".square[aria-pressed=true]")].map(s => s.dataset.at).join(" ")`
	tab.Until(`!(/3:black|3:white|4:white/.test(` + pressed + `)) && !` + list + `.includes("_white.svg")`)
	// A finger that was held still strokes; one that moves at once scrolls, and nothing is changed.
	before := tab.Eval(pressed)
	tab.Eval(`document.querySelector(".strokes").dataset.hold = 60000`) // however slow the machine is
	tab.Finger(0, `[data-at="0:colour"]`, `[data-at="3:colour"]`)
	if now := tab.Eval(pressed); now != before {
		t.Errorf("a finger that scrolls changed %s into %s", before, now)
	}
	tab.Eval(`document.querySelector(".strokes").dataset.hold = 350`)
	tab.Finger(500*time.Millisecond, `[data-at="3:black"]`, `[data-at="3:white"]`, `[data-at="4:white"]`)
	tab.Until(`/3:black .*3:white .*4:white/.test(` + pressed + `) && ` + list + `.includes("_white.svg")`)
	tab.Finger(500*time.Millisecond, `[data-at="3:black"]`) // held on one: that one alone
	tab.Until(`!/3:black/.test(` + pressed + `) && /3:white .*4:white/.test(` + pressed + `) && !` + list + `.includes("_black.svg")`)
	tab.Finger(500*time.Millisecond, `[data-at="3:white"]`, `[data-at="4:white"]`)
	tab.Until(`!/3:white|4:white/.test(` + pressed + `) && !` + list + `.includes("_white.svg")`)
	tab.Click(`.thumb[aria-label^=white]`) // a column that is not in everywhere is put in
	tab.Until(`/0:white .*3:white .*4:white/.test(` + pressed + `)`)
	tab.Eval(`document.querySelector('[data-at="3:colour"]').focus() || ""`)
	tab.Key("̃") // right, as chromedp names it
	tab.Until(`document.activeElement.dataset.at === "3:black"`)
	tab.Click(`#uses a[href="?line=3"]`)
	tab.Until(`document.querySelector(".one-line b").textContent === "SVG"`)
	tab.Click(`#uses a[href="?line=0"]`)
	tab.Until(`document.querySelector(".one-line b").textContent === "PNG"`)
	tab.Click(`#uses [value="use Fax"]`)
	tab.Until(`[...document.querySelectorAll(".use h2")].some(h => h.textContent === "Fax")`)
	tab.Eval(`(() => { const f = document.querySelector("#uses input[name=typed]"); f.value = "large"; f.focus(); return ""; })()`)
	tab.Key(kb.Enter)
	tab.Until(`document.querySelector("#uses .notification.is-danger") && document.querySelector("#uses .notification.is-danger").textContent.includes("is no size")`)
	if v := tab.Eval(`document.querySelector("#uses input[name=typed]").value`); v != "large" {
		t.Errorf("what was typed became %q", v)
	}
	tab.Eval(`document.querySelector(".in-proportion").open = true, ""`)
	// The frame of 1000 px is dragged to about half of its width.
	tab.Eval(`(() => {
		const g = document.querySelector('.rung[data-size="1000"]'), dot = g.querySelector("circle"), r = g.querySelector("rect").getBoundingClientRect();
		dot.setPointerCapture = () => {};
		const at = (type, x, y) => dot.dispatchEvent(new PointerEvent(type, {bubbles: true, button: 0, pointerId: 1, clientX: x, clientY: y}));
		at("pointerdown", r.right, r.top); at("pointermove", r.left + r.width * 0.6, r.bottom - r.height * 0.6); at("pointerup", r.left + r.width * 0.6, r.bottom - r.height * 0.6);
		return ""; })()`)
	tab.Until(`!` + list + `.includes("_1000.png") && /_6[0-9]0\.png/.test(` + list + `)`)
	for _, e := range tab.Errors() {
		t.Errorf("the console says: %s", e)
	}
}
