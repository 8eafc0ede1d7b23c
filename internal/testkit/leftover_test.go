package testkit

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"
)

// killedEnv makes the test's own binary, run once more, start a database and a
// process of its own, and wait to be killed.
const killedEnv = "DYEKIT_TEST_KILLED"

func TestMain(m *testing.M) {
	if os.Getenv(killedEnv) != "" {
		d, err := StartDatabase()
		if err != nil {
			fmt.Println("error", err)
			os.Exit(1)
		}
		child := exec.Command("sleep", "600")
		if err := child.Start(); err != nil {
			fmt.Println("error", err)
			os.Exit(1)
		}
		pid, _ := os.ReadFile(d.dir + "/mariadb/data/pid")
		fmt.Println(strings.TrimSpace(string(pid)), child.Process.Pid, d.dir)
		select {}
	}
	os.Exit(m.Run())
}

// What a killed run leaves behind is ended at the next start, and nothing else is:
// neither what a run that goes on has started, nor what bears the same name.
func TestLeftoversAreEnded(t *testing.T) {
	stranger := exec.Command("sleep", "600") // of the same name, without a mark
	stranger.Env = []string{"PATH=" + os.Getenv("PATH")}
	ours := exec.Command("sleep", "600") // of a run that goes on
	for _, c := range []*exec.Cmd{stranger, ours} {
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
		defer c.Wait()
		defer c.Process.Kill()
	}
	run := exec.Command(os.Args[0])
	run.Env = append(os.Environ(), killedEnv+"=yes")
	out, err := run.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := run.Start(); err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	f := strings.Fields(line)
	if err != nil || len(f) != 3 || f[0] == "error" {
		run.Process.Kill()
		run.Wait()
		t.Fatalf("the run to be killed says %q, %v", line, err)
	}
	left := []string{f[0], f[1]}
	if err := EndLeftovers(); err != nil {
		t.Fatal(err)
	}
	for _, pid := range left {
		if gone(pid) {
			t.Errorf("process %s was ended while its run went on", pid)
		}
	}
	run.Process.Kill()
	run.Wait()
	time.Sleep(20 * time.Millisecond)
	if gone(left[1]) {
		t.Fatal("nothing was left behind: the test shows nothing")
	}
	if err := EndLeftovers(); err != nil {
		t.Fatal(err)
	}
	for _, pid := range left {
		for i := 0; !gone(pid); i++ {
			if i == 500 {
				t.Fatalf("process %s is still there", pid)
			}
			time.Sleep(10 * time.Millisecond)
		}
	}
	if _, err := os.Stat(f[2]); !os.IsNotExist(err) {
		t.Errorf("its database is still there: %v", err)
	}
	for what, c := range map[string]*exec.Cmd{"a stranger": stranger, "one of ours": ours} {
		if gone(strconv.Itoa(c.Process.Pid)) {
			t.Errorf("%s was ended too", what)
		}
	}
}

// gone reports whether a process has ended; one that nobody waited for has.
func gone(pid string) bool {
	b, err := os.ReadFile("/proc/" + pid + "/stat")
	return err != nil || strings.Contains(string(b), ") Z ")
}
