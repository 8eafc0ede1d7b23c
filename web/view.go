package web

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"dyekit/core/finding"
	"dyekit/core/geom"
	"dyekit/core/kit"
	"dyekit/core/lettering"
	"dyekit/core/recipe"
	"dyekit/studio"
	"dyekit/studio/preview"
)

// stations in working order.
var stations = []struct{ key, name string }{
	{"master", "Master"}, {"inks", "Inks"}, {"versions", "Versions"},
	{"files", "Files"}, {"proof", "Proof"}, {"kit", "Kit"},
}

// A step is a station on the thread.
type step struct {
	Number    int
	Key, Name string
	Note      string
	State     string // done, look, none
	Here      bool
}

// A header is what stands above every station.
type header struct {
	Mark     *studio.Mark
	Snapshot *studio.Snapshot
	Title    string
	From     string        // the view, for forms that come back to it
	Also     []studio.Step // what others decided meanwhile
	Steps    []step
	State    string // in words
	Files    int
	Weight   string
	Omitted  int
	Action   string // the one main action
	Busy     bool
	Hint     string // why the action cannot be done
	Undo     bool
	Redo     bool
	Next     *step
	Error    *studio.InputError // of the form just sent
	Typed    map[string]string  // what was typed into it
}

func (s *Server) newHeader(w *studio.Snapshot, here string) header {
	m := w.Mark
	d := header{Mark: m, Snapshot: w, Files: len(w.Plan.Files), Omitted: len(w.Plan.Omitted), Undo: m.Decided(), Redo: m.Undone(), Typed: map[string]string{}, From: here}
	title := ""
	switch here { // views within stations
	case "parts":
		here, title = "master", "Parts · "+m.Client+" "+m.Name
	case "trace":
		here, title = "master", "Tracing · "+m.Client+" "+m.Name
	case "arrange":
		here, title = "versions", "Arranging · "+m.Client+" "+m.Name
	case "wall":
		here, title = "versions", "On grounds · "+m.Client+" "+m.Name
	case "sort":
		here, title = "versions", "Sorting · "+m.Client+" "+m.Name
	case "frame":
		here, title = "versions", "Frame · "+m.Client+" "+m.Name
	case "finish":
		here, title = "versions", "Finish · "+m.Client+" "+m.Name
	case "sheet":
		here, title = "", "Brand sheet · "+m.Client+" "+m.Name
	case "photos":
		here, title = "", "Photo marks · "+m.Client+" "+m.Name
	}
	d.Weight = total(w.WeightsSoon())
	next := 1
	if m.Kit != nil {
		next = m.Kit.Number + 1
	}
	d.Action = fmt.Sprintf("Build kit %d", next)
	switch {
	case w.Stop != "":
		d.State, d.Hint = "cannot be built: "+w.Stop, w.Stop
	case m.Job != nil:
		d.State, d.Busy = fmt.Sprintf("building kit %d", next), true
	case m.Kit == nil:
		d.State = "no kit yet"
	case m.Kit.Build == w.Name && m.Kit.Incomplete():
		d.State = fmt.Sprintf("kit %d is incomplete: %d missing", m.Kit.Number, m.Kit.Missing)
	case m.Kit.Build == w.Name:
		d.State = fmt.Sprintf("kit %d is up to date", m.Kit.Number)
		d.Hint, d.Action = d.State, "Up to date"
	default:
		d.State = fmt.Sprintf("kit %d is stale: something changed since", m.Kit.Number)
	}
	for i, st := range stations {
		k := step{Number: i + 1, Key: st.key, Name: st.name, Here: st.key == here}
		k.Note, k.State = note(w, st.key)
		d.Steps = append(d.Steps, k)
		if k.Here {
			d.Title = st.name + " · " + m.Client + " " + m.Name
		} else if i > 0 && d.Steps[i-1].Here {
			d.Next = &d.Steps[i]
		}
	}
	if title != "" {
		d.Title = title
	}
	return d
}

// total says what files weigh together, or nothing if that is not known yet.
func total(ws []preview.Weight) string {
	bytes, known, exact := preview.Total(ws)
	switch {
	case !known:
		return ""
	case !exact:
		return "about " + kit.Weight(bytes)
	}
	return kit.Weight(bytes)
}

// note says in a word or two how a station stands.
func note(w *studio.Snapshot, key string) (text, state string) {
	fs := slices.Concat(w.Plan.Master.Findings, w.Plan.Hairlines)
	switch key {
	case "master":
		if n := fs.Count(finding.Stop); n > 0 {
			return fmt.Sprintf("%d to mend", n), "stop"
		}
		if n := w.ToLook(); n > 0 {
			return fmt.Sprintf("%d to look at", n), "look"
		}
		if n := fs.Count(finding.Mended); n > 0 {
			return fmt.Sprintf("%d mended", n), "done"
		}
		return "clean", "done"
	case "inks":
		return fmt.Sprint(len(w.Tones)), "done"
	case "versions":
		made := 0
		for _, v := range w.Plan.Versions {
			if v.Drawing != nil {
				made++
			}
		}
		if made < len(w.Plan.Versions) {
			return fmt.Sprintf("%d of %d", made, len(w.Plan.Versions)), "look"
		}
		if len(lookedAt(w.Snapshot)) > 0 {
			return fmt.Sprint(made), "look"
		}
		return fmt.Sprint(made), "done"
	case "files":
		return fmt.Sprint(len(w.Plan.Files)), "done"
	case "proof":
		return "", "none"
	}
	switch m := w.Mark; {
	case m.Kit == nil:
		return "", "none"
	case m.Kit.Build != w.Name:
		return fmt.Sprintf("%d stale", m.Kit.Number), "look"
	case m.Kit.Incomplete():
		return fmt.Sprintf("%d incomplete", m.Kit.Number), "look"
	default:
		return fmt.Sprintf("%d built", m.Kits), "done"
	}
}

// joints are the signs in file names after which a line may end.
var joints = strings.NewReplacer("/", "/<wbr>", "_", "_<wbr>", "-", "-<wbr>")

// breaks writes a path so that it breaks between its words, never into letters.
func breaks(path string) template.HTML {
	return template.HTML(joints.Replace(template.HTMLEscapeString(path)))
}

// funcs are the words templates may use.
var funcs = template.FuncMap{
	"asset":      asset,
	"place":      lettering.Place,
	"slots":      func(names ...string) []string { return names },
	"weight":     kit.Weight,
	"ratio":      ratio,
	"sentence":   sentence,
	"upper":      func(v any) string { return strings.ToUpper(fmt.Sprint(v)) },
	"join":       strings.Join,
	"hundredths": func(v float64) string { return fmt.Sprintf("%.0f %%", v*100) },
	"percent":    func(v float64) string { return percent(v) },
	"mm":         func(pt float64) string { return fmt.Sprintf("%.0f", pt/72*25.4) },
	"span":       func(least, most *[2]float64) string { return span(*least, *most) },
	"sheets":     func(f recipe.File) string { return span(f.Span()) },
	"inch":       func(pt float64) string { return fmt.Sprintf("%.2f", pt/72) },
	"round":      func(v float64) string { return fmt.Sprintf("%.0f", v) },
	"one":        func(v float64) string { return fmt.Sprintf("%.1f", v) },
	"num":        func(v float64) string { return strings.TrimSuffix(fmt.Sprintf("%.1f", v), ".0") },
	"two2":       func(v float64) string { return fmt.Sprintf("%.2g", v) },
	"num2":       func(v float64) string { return fmt.Sprintf("%.3g", v) },
	"below":      func(px int, least *int) bool { return px < *least },
	"half":       func(r geom.Rect) float64 { return min(r.W(), r.H()) / 2 },
	// A gap between letters is a place to be pointed at, a share of the mark wide.
	"gapW":   func(w float64) float64 { return w / 60 },
	"gapX":   func(x, w float64) float64 { return x - w/120 },
	"gapH":   func(y0, y1 float64) float64 { return y1 - y0 },
	"two":    func(a, b []string) [][]string { return [][]string{a, b} },
	"add":    func(a, b int) int { return a + b },
	"add2":   func(a, b float64) string { return fmt.Sprintf("%.2f", a+b) },
	"sub":    func(a, b float64) float64 { return math.Round((a-b)*100) / 100 },
	"day":    day,
	"hour":   hour,
	"breaks": breaks,
	"plural": func(n int, one, many string) string {
		if n == 1 {
			return fmt.Sprintf("%d %s", n, one)
		}
		return fmt.Sprintf("%d %s", n, many)
	},
	"typed": func(d header, field, otherwise string) string {
		if v, ok := d.Typed[field]; ok {
			return v
		}
		return otherwise
	},
	"wrong": func(e *studio.InputError, field string) string {
		if e == nil || e.Field != field {
			return ""
		}
		return sentence(e.Message)
	},
	// own is the name that a recipe of one's own is saved under again.
	"own": func(name string, own bool) string {
		if own {
			return name
		}
		return ""
	},
	// pickOf chooses the first part in the first place, the second in the second.
	"pickOf": func(place, i int, part string) string {
		if place == i && i < 2 {
			return part
		}
		return ""
	},
	"contains": func(l []string, s string) bool { return slices.Contains(l, s) },
}

// asset is the address of a shipped file. It changes with the file, so that
// browsers may keep it and still never show an old one.
func asset(name string) (string, error) {
	if a, ok := assets.Load(name); ok {
		return a.(string), nil
	}
	b, err := staticFiles.ReadFile("static/" + name)
	if err != nil {
		return "", err
	}
	a := "/static/" + name + "?v=" + kit.Hash(b)[:10]
	assets.Store(name, a)
	return a, nil
}

// assets are the addresses of shipped files that were asked for.
var assets sync.Map

// span says in mm how small and how large pages are, given in points.
func span(least, most [2]float64) string {
	side := func(i int) string {
		a, b := fmt.Sprintf("%.0f", least[i]/72*25.4), fmt.Sprintf("%.0f", most[i]/72*25.4)
		if a == b {
			return a
		}
		return a + " to " + b
	}
	return side(0) + " × " + side(1) + " mm"
}

func percent(v float64) string {
	switch p := v * 100; {
	case p > 0 && p < 0.1:
		return "under 0.1 %"
	case p < 10:
		return fmt.Sprintf("%.1f %%", p)
	default:
		return fmt.Sprintf("%.0f %%", p)
	}
}

// hour writes an hour of which no more is known: from when to when, in UTC.
func hour(t time.Time) string {
	t = t.UTC()
	return t.Format("2 Jan 15:04") + "–" + t.Add(time.Hour).Format("15:04")
}

// day writes a time as people say it.
func day(t time.Time) string {
	now := time.Now()
	t = t.In(now.Location())
	switch y, m, d := t.Date(); {
	case y == now.Year() && m == now.Month() && d == now.Day():
		return "today " + t.Format("15:04")
	case y == now.Year():
		return t.Format("2 January")
	}
	return t.Format("2 January 2006")
}

// ratio writes a contrast, rounded down so that 2.99 never reads as 3.
func ratio(v float64) string { return fmt.Sprintf("%.1f : 1", math.Floor(v*10)/10) }
