package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dyekit/core/kit"
	"dyekit/core/recipe"
)

// A remote is a server that is spoken to through its interface for scripts.
type remote struct {
	to        string
	tokenFile string
	mark      string
	force     bool
	token     string
}

func (r *remote) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&r.to, "to", os.Getenv("DYEKIT_SERVER"), "address of the server, as https://kits.example (DYEKIT_SERVER)")
	f.StringVar(&r.tokenFile, "token-file", os.Getenv("DYEKIT_TOKEN_FILE"), "file with a token that the server gave, under Scripts (DYEKIT_TOKEN_FILE)")
	f.StringVar(&r.mark, "mark", "Mark", "name of the mark among the client's")
}

// check reads the token and refuses to send it in the clear to another machine.
func (r *remote) check() error {
	u, err := url.Parse(r.to)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return fmt.Errorf("--to %q is no address of a server: write it as https://kits.example", r.to)
	}
	if ip, err := netip.ParseAddr(u.Hostname()); u.Scheme == "http" && u.Hostname() != "localhost" && (err != nil || !ip.IsLoopback()) {
		return errors.New("a token is not sent in the clear: use https://")
	}
	if r.tokenFile == "" {
		return errors.New("--token-file is missing: an owner makes a token under Scripts")
	}
	b, err := os.ReadFile(r.tokenFile)
	if err != nil {
		return fmt.Errorf("the token cannot be read: %w", err)
	}
	r.to, r.token = strings.TrimRight(r.to, "/"), strings.TrimSpace(string(b))
	return nil
}

// call makes a request and reads the answer into out, if that is not nil.
func (r *remote) call(ctx context.Context, method, path, kind string, body io.Reader, out any) error {
	res, err := r.open(ctx, method, path, kind, body)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if out == nil {
		return nil
	}
	if err := json.NewDecoder(res.Body).Decode(out); err != nil {
		return fmt.Errorf("%s does not answer as a Dye Kit server: %w", r.to, err)
	}
	return nil
}

func (r *remote) open(ctx context.Context, method, path, kind string, body io.Reader) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, r.to+"/api/v1"+path, body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+r.token)
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	// A server that leads elsewhere gets no token there.
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := c.Do(req)
	if err != nil {
		return nil, err
	}
	if res.StatusCode >= 200 && res.StatusCode < 300 {
		return res, nil
	}
	defer res.Body.Close()
	var e struct{ Error struct{ Message string } }
	if json.NewDecoder(io.LimitReader(res.Body, 1<<16)).Decode(&e) == nil && e.Error.Message != "" {
		return nil, errors.New(e.Error.Message)
	}
	return nil, fmt.Errorf("%s answers %s", r.to, res.Status)
}

// there is a mark on the server.
type there struct {
	ID     int64
	Client string
	Name   string
	Master string `json:"master_sha256"`
	Stop   string
	Stale  bool
	Job    int64
	Kit    *struct {
		ID, Number, Files, Bytes int
		Name                     string
	}
}

// find looks for a mark by its client and name; nil if there is none.
func (r *remote) find(ctx context.Context, client string) (*there, error) {
	for after := int64(0); ; {
		var page struct {
			Marks []struct {
				ID   int64
				Name string
			}
			More int64
		}
		if err := r.call(ctx, "GET", fmt.Sprintf("/marks?client=%s&after=%d", url.QueryEscape(client), after), "", nil, &page); err != nil {
			return nil, err
		}
		for _, m := range page.Marks {
			if m.Name == r.mark {
				var x there
				return &x, r.call(ctx, "GET", fmt.Sprintf("/marks/%d", m.ID), "", nil, &x)
			}
		}
		if after = page.More; after == 0 {
			return nil, nil
		}
	}
}

// push brings a master to the server: as a new mark, or as the next revision of
// the one there is; the same bytes again change nothing.
func (r *remote) push(ctx context.Context, file, client, password string) (m *there, says string, err error) {
	data, name, err := readMaster(file)
	if err != nil {
		return nil, "", err
	}
	if client == "" {
		client = strings.TrimSuffix(name, filepath.Ext(name))
	}
	if m, err = r.find(ctx, client); err != nil {
		return nil, "", err
	}
	if m != nil && m.Master == fmt.Sprintf("%x", sha256.Sum256(data)) {
		return m, "the server has this master already", nil
	}
	path, says := "/marks", "taken in"
	if m != nil {
		path, says = fmt.Sprintf("/marks/%d/master", m.ID), "taken in as the next revision"
	}
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for k, v := range map[string]string{"client": client, "mark": r.mark, "password": password} {
		if err := w.WriteField(k, v); err != nil {
			return nil, "", err
		}
	}
	part, err := w.CreateFormFile("master", name)
	if err == nil {
		_, err = part.Write(data)
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		return nil, "", err
	}
	m = new(there)
	return m, says, r.call(ctx, "POST", path, w.FormDataContentType(), &b, m)
}

// choose sets the recipe of a mark: a built-in one or a file, with the drawings that it names.
func (r *remote) choose(ctx context.Context, m *there, name string) error {
	rec, err := loadRecipe(name)
	if err != nil {
		return err
	}
	to := fmt.Sprintf("/marks/%d/recipe", m.ID)
	if len(rec.Drawings()) > 0 {
		return r.chooseDrawn(ctx, m, to, rec)
	}
	body, err := json.Marshal(rec)
	if _, ok := recipe.Builtin(name); ok {
		body, err = json.Marshal(map[string]string{"name": name})
	}
	if err != nil {
		return err
	}
	return r.call(ctx, "PUT", to, "application/json", bytes.NewReader(body), m)
}

// chooseDrawn sends a recipe with the drawings of their own that it names, under names of files that
// no two share.
func (r *remote) chooseDrawn(ctx context.Context, m *there, to string, rec *recipe.Recipe) error {
	drawn, err := readDrawings(ctx, rec)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	sent, taken := map[string]string{}, map[string]bool{}
	for _, ref := range rec.Drawings() {
		at, err := recipe.ParseReference(ref)
		if err != nil {
			return err
		}
		if sent[at.File] != "" {
			continue
		}
		name := kit.Another(drawn[ref].Name, func(s string) bool { return taken[s] })
		sent[at.File], taken[name] = name, true
		part, err := form.CreateFormFile("drawing", name)
		if err == nil {
			_, err = part.Write(drawn[ref].Data)
		}
		if err != nil {
			return err
		}
	}
	body, err := json.Marshal(rec.WithDrawings(func(ref string) string {
		at, err := recipe.ParseReference(ref)
		if err != nil {
			return ref
		}
		at.File = sent[at.File]
		return at.String()
	}))
	if err == nil {
		err = form.WriteField("recipe", string(body))
	}
	if err == nil {
		err = form.Close()
	}
	if err != nil {
		return err
	}
	return r.call(ctx, "PUT", to, form.FormDataContentType(), &b, m)
}

// draw brings drawings of their own to a mark: the lockups first.
func (r *remote) draw(ctx context.Context, m *there, words []string) error {
	for _, lockups := range []bool{true, false} {
		for _, w := range words {
			lockup, colourway, ref, err := cellOf(w)
			if err != nil {
				return err
			}
			if (colourway == "") != lockups {
				continue
			}
			at, err := recipe.ParseReference(ref)
			if err != nil {
				return fmt.Errorf("--drawing %s: %w", w, err)
			}
			data, name, err := readMaster(at.File)
			if err != nil {
				return fmt.Errorf("--drawing %s: %w", w, err)
			}
			var b bytes.Buffer
			form := multipart.NewWriter(&b)
			for k, v := range map[string]string{"lockup": lockup, "colourway": colourway, "page": strconv.Itoa(max(at.Page, 1))} {
				if k == "page" && at.Page == 0 {
					continue
				}
				if err := form.WriteField(k, v); err != nil {
					return err
				}
			}
			part, err := form.CreateFormFile("drawing", name)
			if err == nil {
				_, err = part.Write(data)
			}
			if err == nil {
				err = form.Close()
			}
			if err == nil {
				err = r.call(ctx, "POST", fmt.Sprintf("/marks/%d/drawings", m.ID), form.FormDataContentType(), &b, m)
			}
			if err != nil {
				return fmt.Errorf("--drawing %s: %w", w, err)
			}
		}
	}
	return nil
}

// build builds the kit of a mark and waits for it.
func (r *remote) build(ctx context.Context, m *there) error {
	type job struct {
		ID, Done, Total, Kit int64
		State, Error, What   string
	}
	var j job
	if err := r.call(ctx, "POST", fmt.Sprintf("/marks/%d/builds", m.ID), "", nil, &j); err != nil {
		return err
	}
	show := progress()
	for j.State == "waiting" || j.State == "running" {
		if show != nil {
			show(int(j.Done), int(j.Total), 0, j.What)
		}
		next := job{}
		if err := r.call(ctx, "GET", fmt.Sprintf("/jobs/%d?wait=1", j.ID), "", nil, &next); err != nil {
			return err
		}
		j = next
	}
	endProgress()
	if j.State != "done" {
		return fmt.Errorf("the build %s: %s", j.State, j.Error)
	}
	return r.call(ctx, "GET", fmt.Sprintf("/marks/%d", m.ID), "", nil, m)
}

// fetch saves the newest kit of a mark as PATH says, in one go.
func (r *remote) fetch(ctx context.Context, m *there, out string, force bool) error {
	if m.Kit == nil {
		return fmt.Errorf("%s, %s has no kit yet", m.Client, m.Name)
	}
	res, err := r.open(ctx, "GET", fmt.Sprintf("/kits/%d/zip", m.Kit.ID), "", nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	if err != nil {
		return err
	}
	return kit.SaveZip(ctx, data, out, force)
}

// round pushes, builds and fetches.
func (r *remote) round(ctx context.Context, file string, m *making) (string, error) {
	x, _, err := r.push(ctx, file, m.brand, m.password)
	if err == nil {
		err = r.choose(ctx, x, m.recipe)
	}
	if err == nil {
		err = r.draw(ctx, x, m.drawings)
	}
	if err == nil {
		err = r.build(ctx, x)
	}
	if err == nil {
		err = r.fetch(ctx, x, m.out, true)
	}
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("kit %d, %d files in %s", x.Kit.Number, x.Kit.Files, m.out), nil
}

func pushCmd() *cobra.Command {
	var r remote
	var brand, recipeName, password, hand, out string
	var build bool
	var drawings []string
	c := &cobra.Command{
		Use: "push MASTER --to URL --token-file FILE", Short: "Bring a master to a server, build its kit there, hand it over", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ctx, w := cmd.Context(), cmd.OutOrStdout()
			if err := r.check(); err != nil {
				return usage(err)
			}
			m, says, err := r.push(ctx, args[0], brand, password)
			if err != nil {
				return failed(err)
			}
			fmt.Fprintf(w, "%s, %s: %s\n", m.Client, m.Name, says)
			if cmd.Flags().Changed("recipe") {
				if err := r.choose(ctx, m, recipeName); err != nil {
					return failed(err)
				}
			}
			if err := r.draw(ctx, m, drawings); err != nil {
				return failed(err)
			}
			if !build && hand == "" && out == "" {
				return nil
			}
			begun := time.Now()
			if err := r.build(ctx, m); err != nil {
				return failed(err)
			}
			fmt.Fprintf(w, "kit %d: %d files, %s, %.1f s\n", m.Kit.Number, m.Kit.Files, kit.Weight(m.Kit.Bytes), time.Since(begun).Seconds())
			if out != "" {
				if err := r.fetch(ctx, m, out, r.force); err != nil {
					return failed(err)
				}
			}
			if hand == "" {
				return nil
			}
			body, err := json.Marshal(map[string]any{"recipient": hand})
			var h struct{ Link string }
			if err == nil {
				err = r.call(ctx, "POST", fmt.Sprintf("/kits/%d/hands", m.Kit.ID), "application/json", bytes.NewReader(body), &h)
			}
			if err != nil {
				return failed(err)
			}
			fmt.Fprintln(w, h.Link)
			return nil
		},
	}
	r.flags(c)
	f := c.Flags()
	f.StringVar(&brand, "brand", "", "name of the client (the master's file name)")
	f.StringVar(&recipeName, "recipe", "", "a recipe file, or a built-in one; what the mark has stays without it")
	f.StringArrayVar(&drawings, "drawing", nil, drawingHelp)
	f.StringVar(&password, "password", "", passwordHelp)
	f.BoolVar(&build, "build", false, "build the kit there and wait for it")
	f.StringVar(&out, "out", "", "build it, and save the kit here: a folder, or a file ending in .zip")
	f.BoolVar(&r.force, "force", false, "write over what is there")
	f.StringVar(&hand, "hand", "", "build it, make a link for this recipient and print it")
	return c
}

func pullCmd() *cobra.Command {
	var r remote
	var brand, out string
	c := &cobra.Command{
		Use: "pull --brand CLIENT --out PATH --to URL --token-file FILE", Short: "Save the newest kit that a server has of a mark", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx := cmd.Context()
			switch {
			case brand == "":
				return usage(errors.New("--brand is missing: whose kit?"))
			case out == "":
				return usage(errors.New("--out is missing: where shall the kit go?"))
			}
			if err := r.check(); err != nil {
				return usage(err)
			}
			m, err := r.find(ctx, brand)
			if err == nil && m == nil {
				return usage(fmt.Errorf("the server has no mark %q of %q", r.mark, brand))
			}
			if err == nil {
				err = r.fetch(ctx, m, out, r.force)
			}
			if err != nil {
				return failed(err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "kit %d: %d files, %s\n", m.Kit.Number, m.Kit.Files, kit.Weight(m.Kit.Bytes))
			if m.Stale {
				fmt.Fprintln(os.Stderr, "dyekit: the mark has changed since this kit was built")
			}
			return nil
		},
	}
	r.flags(c)
	c.Flags().StringVar(&brand, "brand", "", "name of the client")
	c.Flags().StringVar(&out, "out", "", "where the kit goes: a folder, or a file ending in .zip")
	c.Flags().BoolVar(&r.force, "force", false, "write over what is there")
	return c
}
