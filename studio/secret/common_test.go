package secret

import "testing"

// Passwords that are tried first are told from those that take long to find: with figures and
// signs round them, again and again, of few characters in any script.
func TestCommon(t *testing.T) {
	for _, bad := range []string{"password", "PASSWORD", "Password2026!", "123456789012", "1234567890123", "qwertyuiop12", "iloveyou!!!!!", "üüüüüüüüüüüü", "abababababab",
		"sunshinesunshine", "hunter2hunter2hunter2", "!!superman!!", "ñandúñandúñandú", "aaaabbbbcccc"} {
		if !Common(bad) {
			t.Errorf("%q is taken", bad)
		}
	}
	for _, good := range []string{"plum and orange", "zwölf Größen", "correct horse", "a password is not all", "superman ate my kettle", "Übermut tut selten gut", "東京の古い茶屋で会う"} {
		if Common(good) {
			t.Errorf("%q is refused", good)
		}
	}
	if n := len(commonSet()); n < 20_000 {
		t.Errorf("%d common passwords", n)
	}
}
