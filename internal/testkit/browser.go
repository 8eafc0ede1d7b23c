package testkit

import (
	"context"
	_ "embed"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// axe is the npm package axe-core 4.14.1 (MPL 2.0): the rules of WCAG that a
// program can check.
//
//go:embed axe.min.js
var axe string

// A Browser is one headless Chromium for all tests of a package.
type Browser struct {
	ctx    context.Context
	cancel []context.CancelFunc
}

// StartBrowser starts Chromium, for TestMain. Its build without windows is taken if
// it is there: it needs a little more than half of the other's time.
func StartBrowser() (*Browser, error) {
	opts := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.NoSandbox,
		chromedp.Flag("disable-gpu", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("hide-scrollbars", true))
	if shell, err := exec.LookPath("chromium-headless-shell"); err == nil {
		opts = append(opts, chromedp.ExecPath(shell))
	}
	b := &Browser{}
	alloc, c1 := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, c2 := chromedp.NewContext(alloc)
	b.ctx, b.cancel = ctx, []context.CancelFunc{c2, c1}
	if err := chromedp.Do(ctx, chromedp.Navigate("about:blank")); err != nil {
		b.Close()
		return nil, fmt.Errorf("the browser does not start; make test installs Chromium: %w", err)
	}
	return b, nil
}

// Close ends the browser.
func (b *Browser) Close() {
	for _, c := range b.cancel {
		c()
	}
}

// A Tab is a page of the browser that looks at one server.
type Tab struct {
	T    testing.TB
	Ctx  context.Context
	Base string

	mu     sync.Mutex
	errors []string
}

// Errors lists what scripts threw or wrote to the console as errors.
func (t *Tab) Errors() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return slices.Clone(t.errors)
}

// hear notes errors of scripts.
func (t *Tab) hear(ev any) {
	t.mu.Lock()
	defer t.mu.Unlock()
	switch e := ev.(type) {
	case *runtime.EventExceptionThrown:
		s := e.ExceptionDetails.Text
		if x := e.ExceptionDetails.Exception; x != nil {
			s += " " + x.Description
		}
		t.errors = append(t.errors, s)
	case *runtime.EventConsoleAPICalled:
		if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
			for _, a := range e.Args {
				t.errors = append(t.errors, string(a.Value)+a.Description)
			}
		}
	}
}

// Tab opens the application in a new tab of 1280 × 800 px. A step that takes
// longer than a minute fails.
func (b *Browser) Tab(t testing.TB, h http.Handler) *Tab {
	t.Helper()
	srv := httptest.NewServer(h)
	ctx, cancel := chromedp.NewContext(b.ctx)
	ctx, stop := context.WithTimeout(ctx, 2*time.Minute)
	t.Cleanup(func() {
		stop()
		cancel()
		srv.CloseClientConnections()
		srv.Close()
	})
	tab := &Tab{T: t, Ctx: ctx, Base: srv.URL}
	if err := chromedp.Listen(ctx, tab.hear); err != nil {
		t.Fatal(err)
	}
	tab.Do(chromedp.EmulateViewport(1280, 800))
	return tab
}

// Do runs actions and fails the test on the first error.
func (t *Tab) Do(steps ...chromedp.Action[chromedp.Void]) {
	t.T.Helper()
	if err := chromedp.Do(t.Ctx, steps...); err != nil {
		t.T.Fatal(err)
	}
}

// Go opens a path and waits until its scripts have started.
func (t *Tab) Go(path string) {
	t.T.Helper()
	t.Do(chromedp.Navigate(t.Base + path))
	t.Until("document.readyState === 'complete' && !!window.Alpine")
}

// At waits until the page whose path ends so is there, scripts and all.
func (t *Tab) At(path string) {
	t.T.Helper()
	t.Until("location.pathname.endsWith('" + path + "') && document.readyState === 'complete' && !!window.Alpine")
}

// patience is how long Until waits.
const patience = 20 * time.Second

// Until waits until an expression is true. The page itself looks, every few
// milliseconds: to ask it from here costs the browser more than most tests do.
func (t *Tab) Until(js string) {
	t.T.Helper()
	ask := `new Promise(tell => {
		const end = performance.now() + 1000;
		const look = () => {
			let ok = false;
			try { ok = !!(` + js + `); } catch {}
			if (ok || performance.now() > end) tell(ok); else setTimeout(look, 8);
		};
		look();
	})`
	for start := time.Now(); time.Since(start) < patience && t.Ctx.Err() == nil; {
		if ok, err := chromedp.Run(t.Ctx, chromedp.Evaluate[bool]("!!("+js+")")); err == nil && ok {
			return
		}
		// While a page is being left there is nothing to ask, and where scripts are
		// turned off it does not look by itself.
		ctx, stop := context.WithTimeout(t.Ctx, 1100*time.Millisecond)
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool](ask, chromedp.EvalAwaitPromise))
		stop()
		if err == nil && ok {
			return
		}
		if err != nil {
			time.Sleep(5 * time.Millisecond)
		}
	}
	where, _ := chromedp.Run(t.Ctx, chromedp.Evaluate[string]("location.pathname + ': ' + document.body.innerText.slice(0, 400)"))
	t.T.Fatalf("waited in vain for %s at %s", js, where)
}

// Eval returns the text that an expression gives.
func (t *Tab) Eval(js string) string {
	t.T.Helper()
	s, err := chromedp.Run(t.Ctx, chromedp.Evaluate[string]("String("+js+")"))
	if err != nil {
		t.T.Fatalf("%s: %v", js, err)
	}
	return s
}

// Click clicks the first element that a CSS selector finds.
func (t *Tab) Click(sel string) {
	t.T.Helper()
	t.Do(chromedp.Click(chromedp.CSS(sel)))
}

// Key presses a key once the page's scripts have started: a hand is not faster.
func (t *Tab) Key(key string) {
	t.T.Helper()
	t.Until("document.readyState === 'complete'")
	t.Do(chromedp.KeyEvent(key))
}

// Type types into a field.
func (t *Tab) Type(sel, text string) {
	t.T.Helper()
	t.Do(chromedp.SendKeys(chromedp.CSS(sel), text))
}

// Drop lets a file fall onto an element, as a hand would.
func (t *Tab) Drop(sel, name, body string) {
	t.T.Helper()
	quote := func(s string) string {
		b, err := json.Marshal(s)
		if err != nil {
			t.T.Fatal(err)
		}
		return string(b)
	}
	t.Eval(`(() => {
		const dt = new DataTransfer();
		dt.items.add(new File([` + quote(body) + `], ` + quote(name) + `, {type: "image/svg+xml"}));
		const el = document.querySelector(` + quote(sel) + `);
		for (const kind of ["dragover", "drop"])
			el.dispatchEvent(new DragEvent(kind, {bubbles: true, cancelable: true, dataTransfer: dt}));
		return "";
	})()`)
}

// Give chooses a file in a field for files.
func (t *Tab) Give(sel, name string, data []byte) {
	t.T.Helper()
	t.Eval(`(() => {
		const bytes = Uint8Array.from(atob("` + base64.StdEncoding.EncodeToString(data) + `"), (c) => c.charCodeAt(0));
		const dt = new DataTransfer();
		dt.items.add(new File([bytes], "` + name + `"));
		const field = document.querySelector("` + sel + `");
		field.files = dt.files;
		field.dispatchEvent(new Event("change", {bubbles: true}));
		return "";
	})()`)
}

// Accessible fails the test for every rule of WCAG 2.2 A and AA and of good practice that
// the page at hand breaks, as far as axe-core can tell; also if the name of a control
// lacks the label that is seen (2.5.3), which axe tries only when asked.
func (t *Tab) Accessible(page string) {
	t.T.Helper()
	t.Until("document.readyState === 'complete'") // of half a page labels are missing
	if _, err := chromedp.Run(t.Ctx, chromedp.Evaluate[chromedp.Void](axe+";0")); err != nil {
		t.T.Fatal(err)
	}
	out, err := chromedp.Run(t.Ctx, chromedp.Evaluate[string](`axe.run(document, {runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"], rules: {"label-content-name-mismatch": {enabled: true}}, resultTypes: ["violations"]})
		.then(r => r.violations.map(v => v.id + ": " + v.help + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 120)).join(" | ")).join("\n"))`, chromedp.EvalAwaitPromise))
	if err != nil {
		t.T.Fatal(err)
	}
	if out = strings.TrimSpace(out); out != "" {
		t.T.Errorf("%s: %s", page, out)
	}
}

// Shot takes a picture of what the tab shows.
func (t *Tab) Shot() []byte {
	t.T.Helper()
	b, err := chromedp.Run(t.Ctx, chromedp.CaptureScreenshot())
	if err != nil {
		t.T.Fatal(err)
	}
	return b
}

// PDF prints what the tab shows on A4.
func (t *Tab) PDF() []byte {
	t.T.Helper()
	b, err := chromedp.Run(t.Ctx, func(ctx context.Context, target *chromedp.Target) ([]byte, error) {
		w, h := 8.27, 11.69 // in
		r, err := cdp.Call(ctx, target, page.PrintToPDF, page.PrintToPDFParams{PaperWidth: w, PaperHeight: h})
		if err != nil {
			return nil, err
		}
		return r.Data, nil
	})
	if err != nil {
		t.T.Fatal(err)
	}
	return b
}
