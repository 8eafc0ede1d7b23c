package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"dyekit/studio"
	"dyekit/studio/hook"
)

// A described is the running interface, each of whose answers is held against its
// description (OpenAPI 3.1, JSON Schema 2020-12).
type described struct {
	t     *testing.T
	base  string
	token string
	doc   map[string]any
	c     *jsonschema.Compiler
	seen  map[string]bool
}

func describing(t *testing.T, base string) *described {
	t.Helper()
	raw := fetch(t, base+"/api/v1/openapi.json", http.StatusOK)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	if err != nil {
		t.Fatal(err)
	}
	d := &described{t: t, base: base, doc: doc.(map[string]any), c: jsonschema.NewCompiler(), seen: map[string]bool{}}
	if err := d.c.AddResource("mem:openapi.json", doc); err != nil {
		t.Fatal(err)
	}
	return d
}

// ask makes a request of the operation at a path of the description and checks the
// answer.
func (d *described) ask(method, at, path, kind string, body io.Reader, want int) map[string]any {
	d.t.Helper()
	req, err := http.NewRequest(method, d.base+"/api/v1"+path, body)
	if err != nil {
		d.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+d.token)
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		d.t.Fatal(err)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != want {
		d.t.Fatalf("%s %s: %d, want %d: %.300s", method, path, res.StatusCode, want, data)
	}
	d.seen[method+" "+at] = true
	esc := strings.NewReplacer("~", "~0", "/", "~1")
	where := fmt.Sprintf("paths/%s/%s/responses/%d", esc.Replace(at), strings.ToLower(method), want)
	media, _, _ := strings.Cut(res.Header.Get("Content-Type"), ";")
	if want == http.StatusNoContent {
		if len(data) > 0 {
			d.t.Errorf("%s %s: %d bytes of nothing", method, path, len(data))
		}
		return nil
	}
	if media != "application/json" {
		return nil
	}
	s, err := d.c.Compile("mem:openapi.json#/" + where + "/content/application~1json/schema")
	if err != nil {
		d.t.Fatalf("%s: it is not described: %v", where, err)
	}
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	if err == nil {
		err = s.Validate(v)
	}
	if err != nil {
		d.t.Errorf("%s %s: %v\n%.400s", method, path, err, data)
	}
	var out map[string]any
	if err := json.Unmarshal(data, &out); err != nil {
		d.t.Fatal(err)
	}
	return out
}

// parcel is a form with a master in it.
func parcel(t *testing.T, fields map[string]string, name string, data []byte) (kind string, body io.Reader) {
	t.Helper()
	return parcelOf(t, "master", fields, name, data)
}

// parcelOf is a form with a file in one of its fields.
func parcelOf(t *testing.T, field string, fields map[string]string, name string, data []byte) (kind string, body io.Reader) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for k, v := range fields {
		w.WriteField(k, v)
	}
	f, err := w.CreateFormFile(field, name)
	if err == nil {
		_, err = f.Write(data)
	}
	if err != nil || w.Close() != nil {
		t.Fatal(err)
	}
	return w.FormDataContentType(), &b
}

// From a master to a link, by a script; every answer is as described, every route
// is described, and every one described is there.
func TestInterface(t *testing.T) {
	t.Parallel()
	s, h := open(t, true)
	srv := httptest.NewServer(h)
	defer srv.Close()
	heard := make(chan string, 10)
	receiver := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		heard <- string(b)
	}))
	defer receiver.Close()
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	s.Caller = hook.Caller{Inside: true}
	secret, err := s.NewHook(ctx, receiver.URL)
	if err != nil || !strings.HasPrefix(secret, hook.Prefix) {
		t.Fatal(secret, err)
	}
	done := make(chan struct{})
	go func() { s.RunHooks(ctx); close(done) }()
	defer func() { cancel(); <-done }()

	d := describing(t, srv.URL)
	if d.token, err = s.NewScript(ctx, nil, "the build server", studio.Scopes, 1); err != nil {
		t.Fatal(err)
	}
	kind, body := parcel(t, map[string]string{"client": "Moor & Sons", "mark": "Star"}, "star.svg", []byte(star))
	m := d.ask("POST", "/marks", "/marks", kind, body, 201)
	at := fmt.Sprintf("/marks/%v", m["id"])
	kind, body = parcel(t, map[string]string{"client": "Moor & Sons", "mark": "Star"}, "star.svg", []byte(star))
	if e := d.ask("POST", "/marks", "/marks", kind, body, 422)["error"].(map[string]any); e["field"] != "mark" {
		t.Errorf("the same name again: %v", e)
	}
	if l := d.ask("GET", "/marks", "/marks?client=Moor+%26+Sons", "", nil, 200)["marks"].([]any); len(l) != 1 {
		t.Errorf("%d marks", len(l))
	}
	kind, body = parcel(t, nil, "star.svg", []byte(strings.ReplaceAll(star, "viewBox", "data-x='1' viewBox")))
	if m = d.ask("POST", "/marks/{id}/master", at+"/master", kind, body, 200); m["revision"] != 2.0 {
		t.Errorf("a new master: %v", m["revision"])
	}
	if m = d.ask("PUT", "/marks/{id}/recipe", at+"/recipe", "application/json", strings.NewReader(`{"name":"web"}`), 200); m["recipe"] != "web" {
		t.Errorf("the recipe is %v", m["recipe"])
	}
	d.ask("PUT", "/marks/{id}/recipe", at+"/recipe", "application/json", strings.NewReader(`{"name":"nosuch"}`), 422)
	d.ask("PUT", "/marks/{id}/recipe", at+"/recipe", "application/json", strings.NewReader(`{"name":"x","files":1}`), 422)
	kind, body = parcelOf(t, "drawing", map[string]string{"lockup": "round"}, "round.svg", []byte(star))
	if m = d.ask("POST", "/marks/{id}/drawings", at+"/drawings", kind, body, 200); m["files"] != 36.0 {
		t.Errorf("with a lockup there are %v files", m["files"])
	}
	kind, body = parcelOf(t, "drawing", map[string]string{"lockup": "round", "colourway": "puce"}, "round.svg", []byte(star))
	if e := d.ask("POST", "/marks/{id}/drawings", at+"/drawings", kind, body, 422)["error"].(map[string]any); e["field"] != "cell" {
		t.Errorf("a colourway that is none: %v", e)
	}
	j := d.ask("POST", "/marks/{id}/builds", at+"/builds", "", nil, 202)
	job := fmt.Sprintf("/jobs/%v", j["id"])
	d.ask("GET", "/jobs/{id}", job, "", nil, 200)
	if j = d.ask("GET", "/jobs/{id}", job+"?wait=60", "", nil, 200); j["state"] != "done" {
		t.Fatalf("the build: %v", j)
	}
	if j = d.ask("POST", "/marks/{id}/builds", at+"/builds", "", nil, 200); j["state"] != "done" {
		t.Errorf("the build again: %v", j)
	}
	if m = d.ask("GET", "/marks/{id}", at, "", nil, 200); m["stale"] != false || m["kit"] == nil {
		t.Errorf("the mark: %v", m)
	}
	kitAt := fmt.Sprintf("/kits/%v", j["kit"])
	k := d.ask("GET", "/kits/{id}", kitAt, "", nil, 200)
	d.ask("GET", "/kits/{id}/zip", kitAt+"/zip", "", nil, 200)
	first := k["report"].(map[string]any)["files"].([]any)[0].(map[string]any)["path"].(string)
	d.ask("GET", "/kits/{id}/files/{path}", kitAt+"/files/"+first, "", nil, 200)
	d.ask("GET", "/kits/{id}/files/{path}", kitAt+"/files/nosuch", "", nil, 404)
	asked := d.ask("GET", "/kits/{id}/ask", kitAt+"/ask?words=white+logo%2C+333+px+and+an+eps", "", nil, 200)
	d.ask("GET", "/kits/{id}/ask", kitAt+"/ask?words=blorp", "", nil, 422)
	if asked["file"] != nil || asked["makes"] == nil {
		t.Errorf("333 px lies in the kit: %v", asked)
	}
	d.ask("GET", "/kits/{id}/made", kitAt+"/made?"+asked["order"].(string), "", nil, 200)
	d.ask("GET", "/kits/{id}/made", kitAt+"/made?version=white&type=png&size=90000", "", nil, 422)
	d.ask("POST", "/kits/{id}/hands", kitAt+"/hands", "application/json", strings.NewReader(`{"recipient":"Maud","days":30,"language":"de","makes":["sizes"]}`), 201)
	hand := d.ask("POST", "/kits/{id}/hands", kitAt+"/hands", "application/json", strings.NewReader(`{"recipient":"Maud"}`), 201)
	for _, bad := range []string{`{`, `{"recipient":""}`, `{"recipient":"x","days":-1}`, `{"recipient":"x","nosuch":1}`} {
		d.ask("POST", "/kits/{id}/hands", kitAt+"/hands", "application/json", strings.NewReader(bad), 422)
	}
	fetch(t, hand["link"].(string), http.StatusOK)
	d.ask("DELETE", "/hands/{id}", fmt.Sprintf("/hands/%v", hand["id"]), "", nil, 204)
	fetch(t, hand["link"].(string), http.StatusNotFound)
	d.ask("GET", "/marks/{id}", "/marks/999", "", nil, 404)
	select {
	case body := <-heard:
		if !strings.Contains(body, `"type":"kit.ready"`) {
			t.Errorf("a hook hears %s", body)
		}
	case <-time.After(20 * time.Second):
		t.Error("no hook was called")
	}

	// What is described is there, and the other way about.
	d.seen["GET /openapi.json"] = true
	for _, x := range Routes() {
		if at, ok := strings.CutPrefix(x.Path, "/api/v1"); ok {
			at = strings.NewReplacer(":id", "{id}", "*path", "{path}").Replace(at)
			if !d.seen[x.Method+" "+at] {
				t.Errorf("%s %s was not asked", x.Method, at)
			}
			delete(d.seen, x.Method+" "+at)
			if _, ok := d.doc["paths"].(map[string]any)[at].(map[string]any)[strings.ToLower(x.Method)]; !ok {
				t.Errorf("%s %s is not described", x.Method, at)
			}
		}
	}
	for x := range d.seen {
		t.Errorf("%s is described and not there", x)
	}

	// Tokens that may not, have expired, were taken away, are another studio's.
	reader, err := s.NewScript(ctx, nil, "reader", []studio.Scope{studio.MayRead}, 1)
	if err != nil {
		t.Fatal(err)
	}
	d.token = reader
	d.ask("POST", "/marks/{id}/builds", at+"/builds", "", nil, 403)
	d.ask("POST", "/kits/{id}/hands", kitAt+"/hands", "application/json", strings.NewReader(`{"recipient":"x"}`), 403)
	theirs, err := s.NewScript(studio.InHouse(ctx, 2), nil, "theirs", studio.Scopes, 1)
	if err == nil {
		t.Errorf("a token of a studio that is not: %s", theirs)
	}
	if _, err := s.NewStudio(ctx, "Other Vats"); err != nil {
		t.Fatal(err)
	}
	all, err := s.Scripts(ctx)
	if err != nil {
		t.Fatal(err)
	}
	// Studio numbers count on: the second try of a studio that was not there took none.
	for id := int64(2); id < 5; id++ {
		if theirs, err = s.NewScript(studio.InHouse(ctx, id), nil, "theirs", studio.Scopes, 1); err == nil {
			break
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	d.token = theirs
	d.ask("GET", "/marks/{id}", at, "", nil, 404)
	d.ask("GET", "/kits/{id}", kitAt, "", nil, 404)
	if l := d.ask("GET", "/marks", "/marks", "", nil, 200)["marks"].([]any); len(l) != 0 {
		t.Errorf("another studio sees %d marks", len(l))
	}
	d.token = reader
	i := slices.IndexFunc(all, func(x *studio.Script) bool { return x.Name == "reader" })
	if err := s.DropScript(ctx, all[i].ID); err != nil {
		t.Fatal(err)
	}
	d.ask("GET", "/marks/{id}", at, "", nil, 401)
	for _, bad := range []string{"", "x", strings.Repeat("x", 5000)} {
		d.token = bad
		d.ask("GET", "/marks", "/marks", "", nil, 401)
	}
}
