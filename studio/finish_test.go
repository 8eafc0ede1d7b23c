package studio

import (
	"fmt"
	"testing"

	"dyekit/core/version"
)

// A finish that a later release saved, or one that cannot be made, is not offered and
// stays where it is; those beside it are.
func TestFinishesOfALaterRelease(t *testing.T) {
	t.Parallel()
	s := open(t)
	m := take(t, s, "Odd Kettle", "Kettle")
	f := version.Ready([]version.Ink{{Name: "Plum", RGB: "#7a2f53"}})[0]
	for _, name := range []string{"A", "D"} {
		f.Name = name
		if err := s.SaveFinish(t.Context(), m, f); err != nil {
			t.Fatal(err)
		}
	}
	for name, body := range map[string]string{"B": `{"fills":[`, "C": `{"name":"C","fills":[{"kind":"of a later release","stops":[]}]}`} {
		if _, err := s.db.Exec("INSERT INTO finishes (client_id, name, body, who) VALUES (?, ?, ?, '')", m.ClientID, name, body); err != nil {
			t.Fatal(err)
		}
	}
	fs, err := s.Finishes(t.Context(), m.ClientID)
	if err != nil {
		t.Fatal(err)
	}
	var names string
	for _, x := range fs {
		names += x.Name
	}
	if names != "AD" {
		t.Errorf("%q are offered", names)
	}
	var n int
	if err := s.db.QueryRow("SELECT COUNT(*) FROM finishes").Scan(&n); err != nil || n != 4 {
		t.Errorf("%d are kept, %v", n, err)
	}
	// No more than the bound are saved, and one there is may still be replaced.
	for i := range maxFinishes {
		f.Name = fmt.Sprintf("F%d", i)
		err = s.SaveFinish(t.Context(), m, f)
		if most := i >= maxFinishes-4; (err != nil) != most {
			t.Fatalf("finish %d: %v", i+5, err)
		}
	}
	f.Name = "A"
	if err := s.SaveFinish(t.Context(), m, f); err != nil {
		t.Errorf("one that was there: %v", err)
	}
}
