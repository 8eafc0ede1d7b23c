package studio

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"database/sql"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"dyekit/core/kit"
	"dyekit/core/kit/outside"
	"dyekit/core/version"
	"dyekit/studio/queue"
)

// What a backup holds comes back whole: marks, decisions, kits byte for byte;
// and it goes into an empty database alone.
func TestBackupAndRestore(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	dsn := demonstration.Copy(t)
	s := openAt(t, dsn)
	if err := s.Decide(ctx, 1, "recipe web", func(d *Decisions) error { d.Recipe = "web"; return nil }); err != nil {
		t.Fatal(err)
	}
	var file bytes.Buffer
	if err := Backup(ctx, dsn, &file); err != nil {
		t.Fatal(err)
	}
	elsewhere := database.New(t)
	if err := Restore(ctx, elsewhere, bytes.NewReader(file.Bytes())); err != nil {
		t.Fatal(err)
	}
	r := openAt(t, elsewhere)
	was, err := s.Desk(ctx, DeskQuery{})
	if err != nil {
		t.Fatal(err)
	}
	is, err := r.Desk(ctx, DeskQuery{})
	if err != nil || len(is.Cards) != len(was.Cards) {
		t.Fatalf("%d marks, %v", len(is.Cards), err)
	}
	for i := range was.Cards {
		if was.Cards[i] != is.Cards[i] {
			t.Errorf("%+v came back as %+v", was.Cards[i], is.Cards[i])
		}
	}
	if w := work(t, r, 1); w.Recipe.Name != "web" {
		t.Errorf("the decision came back as %s", w.Recipe.Name)
	}
	var a, b bytes.Buffer
	for _, x := range []struct {
		s *Studio
		w *bytes.Buffer
	}{{s, &a}, {r, &b}} {
		k, err := x.s.Kit(ctx, 1)
		if err != nil {
			t.Fatal(err)
		}
		if err := x.s.Zip(ctx, k, x.w); err != nil {
			t.Fatal(err)
		}
	}
	if a.Len() == 0 || !bytes.Equal(a.Bytes(), b.Bytes()) {
		t.Errorf("the kit of %d bytes came back with %d", a.Len(), b.Len())
	}
	if err := Restore(ctx, elsewhere, bytes.NewReader(file.Bytes())); err == nil || !strings.Contains(err.Error(), "not empty") {
		t.Errorf("into a database in use: %v", err)
	}
	// A backup of an earlier release has neither head nor checksum.
	var old bytes.Buffer
	z := gzip.NewWriter(&old)
	cmd, err := client(ctx, "mariadb-dump", dsn, "--single-transaction", "--quick", "--hex-blob", "--skip-dump-date", "--max-allowed-packet=64M", "--no-tablespaces")
	if err != nil {
		t.Fatal(err)
	}
	cmd.Stdout = z
	if err := ran(cmd); err != nil {
		t.Fatal(err)
	}
	z.Close()
	if err := Restore(ctx, database.New(t), &old); err != nil {
		t.Errorf("of an earlier release: %v", err)
	}
	// What is no backup, cut off, bent, or says more than a backup says, leaves
	// an empty database behind, and nothing beside it.
	plain, err := gzip.NewReader(bytes.NewReader(file.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(plain)
	if err != nil {
		t.Fatal(err)
	}
	pack := func(b []byte) []byte {
		var out bytes.Buffer
		z := gzip.NewWriter(&out)
		z.Write(b)
		z.Close()
		return out.Bytes()
	}
	signed := func(body string) []byte {
		return pack([]byte(fmt.Sprintf("%s%s%s%x\n", backupHead, body, backupEnd, sha256.Sum256([]byte(backupHead+body)))))
	}
	bent := bytes.Clone(text)
	bent[len(bent)/2] ^= 1
	for name, data := range map[string][]byte{
		"no backup": []byte("no backup"), "cut": file.Bytes()[:file.Len()/2], "no end": pack(text[:bytes.LastIndex(text, []byte(backupEnd))]),
		"half of its text": pack(text[:len(text)/2]), "bent": pack(bent), "empty": signed(""), "another statement": signed("CREATE TABLE `marks` (id INT);\nGRANT ALL ON *.* TO me;\n"),
		"a command of a shell": signed("\\! touch /tmp/dyekit-was-here;\n"), "system": signed("system touch /tmp/dyekit-was-here;\n"),
		"a file written": signed("SELECT 1 INTO OUTFILE '/tmp/dyekit-was-here';\n"), "two in one": signed("CREATE TABLE `marks` (id INT); DROP DATABASE mysql;\n"),
	} {
		dsn := database.New(t)
		if err := Restore(ctx, dsn, bytes.NewReader(data)); err == nil {
			t.Errorf("%s was restored", name)
		}
		db, err := sql.Open("mysql", dsn)
		if err != nil {
			t.Fatal(err)
		}
		var tables, beside int
		err = db.QueryRow("SELECT COUNT(IF(table_schema = DATABASE(), 1, NULL)), COUNT(IF(table_schema LIKE '%restoring', 1, NULL)) FROM information_schema.tables").Scan(&tables, &beside)
		if db.Close(); err != nil || tables+beside > 0 {
			t.Errorf("%s left %d tables and %d beside, %v", name, tables, beside, err)
		}
	}
	if _, err := os.Stat("/tmp/dyekit-was-here"); err == nil {
		t.Error("a backup ran a command")
	}
}

// A rebuilt kit that copies files is the kit that would have been built from
// nothing, byte for byte, and only what changed was made anew.
func TestCopiedFilesAreTheSame(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	zips := [2]bytes.Buffer{}
	for i, forget := range []bool{false, true} {
		s := open(t)
		s.Readers = outside.Auto
		m := take(t, s, "Odd Kettle", "Kettle")
		built(t, s, m.ID)
		if err := s.Decide(ctx, m.ID, "reading", func(d *Decisions) error {
			return d.Say("black", firstColour(t, s, m.ID))
		}); err != nil {
			t.Fatal(err)
		}
		if forget {
			if _, err := s.db.Exec("UPDATE kit_files SET input = NULL"); err != nil {
				t.Fatal(err)
			}
		}
		k := built(t, s, m.ID)
		if k.Number != 2 {
			t.Fatalf("kit %d", k.Number)
		}
		if err := s.Zip(ctx, k, &zips[i]); err != nil {
			t.Fatal(err)
		}
		reads := len(report(t, s, k).Readers.Read)
		first, err := s.Kits(ctx, m.ID)
		if err != nil {
			t.Fatal(err)
		}
		if all := len(report(t, s, first[1]).Readers.Read); forget != (reads == all) || reads == 0 {
			t.Errorf("forgetting is %v, and %d of %d pages were read again", forget, reads, all)
		}
	}
	if !bytes.Equal(zips[0].Bytes(), zips[1].Bytes()) {
		t.Error("a kit with copied files differs from one made anew")
	}
}

// built builds what a mark asks for and returns the kit.
func built(t *testing.T, s *Studio, mark int64) *Kit {
	t.Helper()
	stop := workers(t, s, 1)
	defer stop()
	j, err := s.Build(context.Background(), work(t, s, mark))
	if err != nil {
		t.Fatal(err)
	}
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Fatalf("%+v", j)
	}
	k, err := s.Kit(context.Background(), j.KitID)
	if err != nil {
		t.Fatal(err)
	}
	return k
}

// firstColour is a word on the first colour of the black version.
func firstColour(t *testing.T, s *Studio, mark int64) version.Override {
	t.Helper()
	v, ok := work(t, s, mark).Version("black")
	if !ok {
		t.Fatal("no black version")
	}
	return version.Override{Colour: v.Readings[0].Colour.Hex(), As: version.AsTint, Tint: 40}
}

func report(t *testing.T, s *Studio, k *Kit) *kit.Report {
	t.Helper()
	r, err := s.Report(t.Context(), k.ID)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// What would run more than a backup does is not run, whoever made the checksum.
func TestBackupsRunNothing(t *testing.T) {
	for sql, ok := range map[string]bool{
		"INSERT INTO `a` VALUES\n(1,'x',NULL,0x4A,-1.5e3,''),\n(2,'it\\'s; SELECT (1)','a''b',NULL,_binary 'x');\n": true,
		"INSERT INTO `a` VALUES (LOAD_FILE('/etc/passwd'));\n":                                                      false,
		"INSERT INTO `a` VALUES ((SELECT 1));\n":                                                                    false,
		"INSERT INTO `a` VALUES (1),(SLEEP(9));\n":                                                                  false,
		"INSERT INTO `a` VALUES (1) ON DUPLICATE KEY UPDATE x=1;\n":                                                 false,
		"INSERT INTO `a` VALUES ('x);\n":                                                                            false,
		"INSERT INTO `a` VALUES (NULLIF(1,2));\n":                                                                   false,
		"INSERT INTO `a` VALUES (@@version);\n":                                                                     false,
		"INSERT INTO `a` VALUES (1); DROP TABLE marks;\n":                                                           false,
	} {
		if err := onlyValues([]byte(sql)); (err == nil) != ok {
			t.Errorf("%q: %v", sql, err)
		}
	}
	for sql, ok := range map[string]bool{
		"CREATE TABLE `a` (\n  `id` bigint(20) NOT NULL AUTO_INCREMENT,\n  `x` varchar(9) CHARACTER SET ascii COLLATE ascii_bin DEFAULT 'select',\n  `t` datetime(6) NOT NULL DEFAULT current_timestamp(6),\n  PRIMARY KEY (`id`),\n  CONSTRAINT `f` FOREIGN KEY (`x`) REFERENCES `b` (`id`) ON DELETE CASCADE\n) ENGINE=InnoDB AUTO_INCREMENT=4 DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;\n": true,
		"CREATE TABLE `a` (\n  `x` text) ENGINE=InnoDB SELECT LOAD_FILE('/etc/passwd') x;\n":       false,
		"CREATE TABLE `a` (\n  `x` text DEFAULT (load_file('/etc/passwd'))) ENGINE=InnoDB;\n":      false,
		"CREATE TABLE `a` (\n  `x` text) ENGINE=CONNECT TABLE_TYPE=DOS FILE_NAME='/etc/passwd';\n": false,
		"CREATE TABLE `a` (\n  `x` text) ENGINE=InnoDB DATA DIRECTORY='/tmp';\n":                   false,
		"CREATE TABLE `a` (\n  `x` text GENERATED ALWAYS AS (load_file(1))) ENGINE=InnoDB;\n":      false,
	} {
		if err := onlyTable([]byte(sql)); (err == nil) != ok {
			t.Errorf("%q: %v", sql, err)
		}
	}
}

// The database's own programs are told what its address says: numbers of both kinds, and TLS.
func TestClientHeedsTheAddress(t *testing.T) {
	for dsn, want := range map[string]string{
		"u:p@tcp(127.0.0.1:3307)/d":             "--protocol=tcp --host=127.0.0.1 --port=3307 d",
		"u:p@tcp([::1]:3307)/d":                 "--protocol=tcp --host=::1 --port=3307 d",
		"u:p@tcp(db.example)/d?tls=true":        "--protocol=tcp --host=db.example --port=3306 --ssl --ssl-verify-server-cert d",
		"u:p@tcp(db.example)/d?tls=skip-verify": "--protocol=tcp --host=db.example --port=3306 --ssl --skip-ssl-verify-server-cert d",
		"u:p@unix(/run/db.sock)/d":              "--socket=/run/db.sock d",
	} {
		cmd, err := client(t.Context(), "mariadb-dump", dsn)
		if err != nil {
			t.Errorf("%s: %v", dsn, err)
			continue
		}
		if got := strings.Join(cmd.Args[1:], " "); got != "--no-defaults --user=u "+want {
			t.Errorf("%s: %s", dsn, got)
		}
	}
}
