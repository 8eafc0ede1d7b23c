package boxed

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func run(t *testing.T, j Job) (*Done, error) {
	t.Helper()
	j.Name, j.Program, j.Memory = "shell", "sh", 1<<30
	if j.Time == 0 {
		j.Time = 10 * time.Second
	}
	return Run(context.Background(), j)
}

// A program sees its files, an empty folder of its own, and nothing of our
// surroundings; what it made or printed comes back.
func TestInAndOut(t *testing.T) {
	t.Setenv("DYEKIT_SECRET", "moor")
	d, err := run(t, Job{Args: []string{"-c", "cat in.txt > out.txt; pwd; ls; env"}, Files: map[string][]byte{"in.txt": []byte("hello")}, Want: "out.txt"})
	if err != nil || string(d.Data) != "hello" {
		t.Fatalf("%v", err)
	}
	if strings.Contains(d.Out, "moor") || strings.Contains(d.Out, os.Getenv("HOME")+"\n") {
		t.Errorf("it sees our surroundings: %s", d.Out)
	}
	dir, _, _ := strings.Cut(d.Out, "\n")
	if _, err := os.Stat(dir); !os.IsNotExist(err) {
		t.Errorf("its folder %s is still there", dir)
	}
	if d, err := run(t, Job{Args: []string{"-c", "echo printed"}}); err != nil || string(d.Data) != "printed\n" {
		t.Errorf("%v %v", d, err)
	}
}

// What takes too long, writes too much, takes too much memory or fails ends with
// its own error; nothing of it lives on.
func TestLimits(t *testing.T) {
	start := time.Now()
	if _, err := run(t, Job{Args: []string{"-c", "sleep 60 & sleep 60"}, Time: 300 * time.Millisecond}); !errors.Is(err, ErrTime) || time.Since(start) > 5*time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
	var refused *Refused
	if _, err := run(t, Job{Args: []string{"-c", "head -c 3000000 /dev/zero > out"}, Output: 1 << 20, Want: "out"}); !errors.As(err, &refused) {
		t.Errorf("it wrote past its limit: %v", err)
	}
	if _, err := run(t, Job{Args: []string{"-c", "echo trouble >&2; exit 3"}}); !errors.As(err, &refused) || !strings.Contains(err.Error(), "trouble") {
		t.Errorf("%v", err)
	}
	if _, err := run(t, Job{Args: []string{"-c", "true"}, Want: "nothing"}); !errors.As(err, &refused) {
		t.Errorf("%v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	time.AfterFunc(200*time.Millisecond, cancel)
	start = time.Now()
	if _, err := Run(ctx, Job{Name: "shell", Program: "sh", Args: []string{"-c", "sleep 60"}, Time: time.Minute, Memory: 1 << 30}); !errors.Is(err, context.Canceled) || time.Since(start) > 5*time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
}

// Files may lie in folders of the box, and arguments name the box by Here.
func TestFolders(t *testing.T) {
	d, err := run(t, Job{Args: []string{"-c", `cat "$0/in/a.txt" in/b.txt`, Here}, Files: map[string][]byte{"in/a.txt": []byte("one "), "in/b.txt": []byte("two")}})
	if err != nil || string(d.Data) != "one two" {
		t.Errorf("%v %v", d, err)
	}
}

// A program dies with the process that runs it, even if that is killed: nobody else
// would watch how long it takes.
func TestProgramsDieWithUs(t *testing.T) {
	if os.Getenv("DYEKIT_TEST_BOX") != "" {
		Run(t.Context(), Job{Name: "sleep", Program: "sh", Args: []string{"-c", "echo $$ > pid; exec sleep 600"}, Time: time.Hour, Memory: 1 << 30})
		return
	}
	dir := t.TempDir()
	run := exec.Command(os.Args[0], "-test.run=^TestProgramsDieWithUs$")
	run.Env = append(os.Environ(), "DYEKIT_TEST_BOX=yes", "TMPDIR="+dir)
	if err := run.Start(); err != nil {
		t.Fatal(err)
	}
	within := func(what string, f func() bool) {
		t.Helper()
		for i := 0; !f(); i++ {
			if i == 1000 {
				run.Process.Kill()
				t.Fatalf("not within ten seconds: %s", what)
			}
			time.Sleep(10 * time.Millisecond)
		}
	}
	var pid string
	within("the program runs", func() bool {
		in, _ := filepath.Glob(filepath.Join(dir, "*", "pid"))
		if len(in) == 0 {
			return false
		}
		b, _ := os.ReadFile(in[0])
		pid = strings.TrimSpace(string(b))
		return strings.HasSuffix(string(b), "\n")
	})
	run.Process.Kill()
	run.Wait()
	within("the program is gone", func() bool {
		b, err := os.ReadFile("/proc/" + pid + "/stat")
		return err != nil || strings.Contains(string(b), ") Z ")
	})
}
