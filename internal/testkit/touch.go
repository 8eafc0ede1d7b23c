package testkit

import (
	"context"
	"encoding/json"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// Finger lays a finger on the middle of the first element, holds it still for a while, moves it over
// the others and lifts it. The browser decides as on a phone whether that scrolls.
func (t *Tab) Finger(hold time.Duration, sels ...string) {
	t.T.Helper()
	b, err := json.Marshal(sels)
	if err != nil {
		t.T.Fatal(err)
	}
	var at [][2]float64
	places := t.Eval(`(() => {
		const all = ` + string(b) + `.map((s) => document.querySelector(s));
		all[0].scrollIntoView({block: "center", inline: "center"});
		return JSON.stringify(all.map((e) => { const r = e.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]; }));
	})()`)
	if err := json.Unmarshal([]byte(places), &at); err != nil {
		t.T.Fatal(err)
	}
	touch := func(kind input.DispatchTouchEventType, points ...*input.TouchPoint) {
		t.T.Helper()
		t.Do(func(ctx context.Context, target *chromedp.Target) (v chromedp.Void, err error) {
			_, err = cdp.Call(ctx, target, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: append([]*input.TouchPoint{}, points...)})
			return v, err
		})
	}
	const steps = 6 // from one element to the next
	for i, p := range at {
		if i == 0 {
			touch("touchStart", &input.TouchPoint{X: p[0], Y: p[1]})
			time.Sleep(hold)
			continue
		}
		for s := 1.0; s <= steps; s++ {
			q := at[i-1]
			touch("touchMove", &input.TouchPoint{X: q[0] + (p[0]-q[0])*s/steps, Y: q[1] + (p[1]-q[1])*s/steps})
		}
	}
	time.Sleep(100 * time.Millisecond) // so that nothing goes on by itself
	touch("touchMove", &input.TouchPoint{X: at[len(at)-1][0], Y: at[len(at)-1][1]})
	touch("touchEnd")
}
