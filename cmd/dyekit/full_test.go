package main

import (
	"bytes"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"dyekit/internal/privatedb"
)

// On a disc of 300 MB that others fill to the last byte, what is there can be read, masters
// and builds are refused in words, the server starts again after a kill, and goes on by itself
// when there is room.
func TestFullDisc(t *testing.T) {
	dir, addr := place(t)
	if err := syscall.Mount("none", dir, "tmpfs", 0, "size=300m"); errors.Is(err, syscall.EPERM) {
		t.Skip("only root may mount a disc")
	} else if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := syscall.Unmount(dir, syscall.MNT_DETACH); err != nil {
			t.Error(err)
		}
	})
	var says bytes.Buffer
	start := func() *exec.Cmd {
		cmd := exec.Command(program, "serve", "--demo", "--open", "--data", filepath.Join(dir, "data"), "--addr", addr)
		says.Reset()
		cmd.Stderr = &says
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		until(t, "the server answers", func() bool {
			res, err := http.Get("http://" + addr + "/healthz")
			if err == nil {
				res.Body.Close()
			}
			return err == nil
		})
		return cmd
	}
	read := func(when string) {
		t.Helper()
		for _, path := range []string{"/", "/marks/1/versions", "/marks/1/files", "/marks/1/kit", "/marks/1/whole.png"} {
			res, err := http.Get("http://" + addr + path)
			if err != nil {
				t.Fatal(when, err)
			}
			res.Body.Close()
			if res.StatusCode != http.StatusOK {
				t.Errorf("%s: %s answers %s", when, path, res.Status)
			}
		}
	}
	send := func(name string) (status int, page string) {
		var b bytes.Buffer
		form := multipart.NewWriter(&b)
		form.WriteField("client", "Full")
		form.WriteField("mark", name)
		w, _ := form.CreateFormFile("master", "m.svg")
		io.WriteString(w, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 40"><path d="M5 5H35V35Z" fill="#b03060"/></svg>`)
		form.Close()
		res, err := http.Post("http://"+addr+"/marks", form.FormDataContentType(), &b)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		all, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(all)
	}
	refused := func(when string) {
		t.Helper()
		if status, page := send("refused"); status != http.StatusInsufficientStorage || !strings.Contains(page, "disc is full") {
			t.Errorf("%s: a master is answered with %d", when, status)
		}
		read(when)
	}
	cmd := start()
	if _, err := os.Stat(filepath.Join(dir, "data/mariadb/reserve")); err != nil {
		t.Error("there is no reserve: ", err)
	}
	fill, err := os.Create(filepath.Join(dir, "of-others"))
	if err != nil {
		t.Fatal(err)
	}
	defer fill.Close()
	if _, err := io.Copy(fill, endless{}); !errors.Is(err, syscall.ENOSPC) {
		t.Fatal("the disc is not full: ", err)
	}
	refused("full")
	res, err := http.Post("http://"+addr+"/marks/1/build", "application/x-www-form-urlencoded", nil)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	until(t, "the Kit page says why builds wait", func() bool {
		res, err := http.Get("http://" + addr + "/marks/1/kit")
		if err != nil {
			return false
		}
		defer res.Body.Close()
		all, _ := io.ReadAll(res.Body)
		return strings.Contains(string(all), "disc is full")
	})
	cmd.Process.Kill()
	cmd.Wait()
	cmd = start()
	defer func() {
		cmd.Process.Kill()
		cmd.Wait()
	}()
	if free, err := privatedb.Room(dir); err != nil || free == 0 || !strings.Contains(says.String(), "--data") {
		t.Errorf("started again with %d bytes free, %v: %s", free, err, says.String())
	}
	refused("started again")
	if err := fill.Truncate(0); err != nil {
		t.Fatal(err)
	}
	if status, _ := send("kept"); status != http.StatusOK {
		t.Errorf("with room again, a master is answered with %d", status)
	}
	read("with room again")
}

// endless is zeros without an end.
type endless struct{}

func (endless) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}
