package studio

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"strings"
	"testing"
	"time"

	"dyekit/core/photomark"
	"dyekit/studio/queue"
)

// snaps are small made-up photographs, no two alike.
func snaps(t *testing.T, n int) []Upload {
	t.Helper()
	var out []Upload
	for i := range n {
		img := image.NewNRGBA(image.Rect(0, 0, 160, 120))
		for y := range 120 {
			for x := range 160 {
				img.SetNRGBA(x, y, color.NRGBA{uint8(i*83 + y/2), uint8(i*29 + x/2), uint8(i * 7), 255})
			}
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 90}); err != nil {
			t.Fatal(err)
		}
		out = append(out, Upload{Filename: fmt.Sprintf("snap %d.jpg", i), Data: b.Bytes()})
	}
	return out
}

func batchOf(t *testing.T, s *Studio, mark int64) *Batch {
	t.Helper()
	b, err := s.Batch(context.Background(), mark, 0)
	if err != nil || b == nil {
		t.Fatal(b, err)
	}
	return b
}

// A batch of 300 goes on after its workers died, again and again: in the end each
// photograph was marked once, and is what marking it by itself gives.
func TestPhotosSurvive(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	m := take(t, s, "Dot Works", "Dot")
	photos := snaps(t, 300)
	if refused, err := s.AddPhotos(ctx, m, photos); err != nil || len(refused) > 0 {
		t.Fatal(refused, err)
	}
	// The database itself counts how often a copy is kept.
	for _, q := range []string{"CREATE TABLE kept (seq INT)", "CREATE TRIGGER counts AFTER UPDATE ON photos FOR EACH ROW INSERT INTO kept SELECT NEW.seq FROM DUAL WHERE NOT (NEW.marked <=> OLD.marked)"} {
		if _, err := s.db.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	w := work(t, s, m.ID)
	how := Laying{Setting: photomark.Setting{Size: "30%", Name: "{number}_{photo}"}}
	j, err := s.MarkPhotos(ctx, w, batchOf(t, s, m.ID), how)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := s.MarkPhotos(ctx, w, batchOf(t, s, m.ID), how); err != nil || again.ID != j.ID {
		t.Fatalf("ordered twice: %v, %v", again, err)
	}
	for i := range 4 { // workers that are taken for dead in the middle of it, but go on
		stop := workers(t, s, 2)
		deadline := time.Now().Add(time.Minute)
		for batchOf(t, s, m.ID).Done() < (i+1)*40 && time.Now().Before(deadline) {
			time.Sleep(5 * time.Millisecond)
		}
		if _, err := s.db.Exec("UPDATE jobs SET lease_until = NOW(6) - INTERVAL 1 SECOND WHERE id = ?", j.ID); err != nil {
			t.Fatal(err)
		}
		time.Sleep(20 * time.Millisecond)
		stop()
	}
	workers(t, s, 1)
	if j = until(t, s, j.ID); j.State != queue.Done || j.Done != 300 {
		t.Fatalf("%+v", j)
	}
	b := batchOf(t, s, m.ID)
	if b.Done() != 300 || len(b.Failed()) > 0 {
		t.Fatalf("%d marked, %d not", b.Done(), len(b.Failed()))
	}
	var rows, different int
	if err := s.db.QueryRow("SELECT COUNT(*), COUNT(DISTINCT seq) FROM kept").Scan(&rows, &different); err != nil || rows != 300 || different != 300 {
		t.Errorf("%d copies of %d photographs were kept: %v", rows, different, err)
	}
	var zipped bytes.Buffer
	if err := s.ZipPhotos(ctx, b, &zipped); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(zipped.Bytes()), int64(zipped.Len()))
	if err != nil || len(z.File) != 300 {
		t.Fatal(len(z.File), err)
	}
	marker, err := how.Marker(t.Context(), w.Plan)
	if err != nil {
		t.Fatal(err)
	}
	for i, f := range z.File {
		if i%37 != 0 {
			continue
		}
		if want := fmt.Sprintf("%03d_snap_%d.jpg", i+1, i); f.Name != want {
			t.Errorf("%s, not %s", f.Name, want)
		}
		r, err := marker.Lay(ctx, photos[i].Data)
		if err != nil {
			t.Fatal(err)
		}
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if got, err := io.ReadAll(in); err != nil || !bytes.Equal(got, r.Data) {
			t.Errorf("%s is not what marking it gives: %v", f.Name, err)
		}
	}
}

// What is wrong with one photograph is told beside it; cancelling and going on lose
// nothing; a batch that is done can be laid again in another way.
func TestPhotoBatches(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := context.Background()
	m := take(t, s, "Dot Works", "Dot")
	if b, err := s.Batch(ctx, m.ID, 0); b != nil || err != nil {
		t.Fatal(b, err)
	}
	photos := snaps(t, 3)
	cut := photos[1].Data[:len(photos[1].Data)-300]
	refused, err := s.AddPhotos(ctx, m, []Upload{photos[0], {Filename: "letter.txt", Data: []byte("Dear all")}, {Filename: "cut.jpg", Data: cut}, photos[2]})
	if err != nil || len(refused) != 1 || !strings.Contains(refused[0], "letter.txt") {
		t.Fatalf("%q, %v", refused, err)
	}
	if err := s.DemoPhotos(ctx, m); err != nil {
		t.Fatal(err)
	}
	b := batchOf(t, s, m.ID)
	if len(b.Photos) != 8 || !b.Draft() {
		t.Fatalf("%d photographs", len(b.Photos))
	}
	if err := s.DropPhoto(ctx, b, b.Photos[7].Seq); err != nil {
		t.Fatal(err)
	}
	w := work(t, s, m.ID)
	r, err := s.TryPhoto(ctx, w, b.Photos[3], Laying{Setting: photomark.Setting{Size: "300px"}}, TryLarge)
	if err != nil || max(r.W, r.H) != TryLarge {
		t.Fatalf("%+v, %v", r, err)
	}
	if got, want := r.Box.Dx(), 300*TryLarge/max(b.Photos[3].W, b.Photos[3].H); got < want-1 || got > want+1 {
		t.Errorf("300 px of the photograph are %d of the picture, not %d", got, want)
	}
	var in *InputError
	if _, err := s.MarkPhotos(ctx, w, b, Laying{Setting: photomark.Setting{Opacity: 3}}); !errors.As(err, &in) {
		t.Errorf("an opacity of 300 %%: %v", err)
	}
	if _, err := s.MarkPhotos(ctx, w, b, Laying{DarkVersion: "nobody"}); !errors.As(err, &in) || in.Field != "dark_version" {
		t.Errorf("a version that is not there: %v", err)
	}
	b = batchOf(t, s, m.ID)
	j, err := s.MarkPhotos(ctx, w, b, Laying{})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Cancel(ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	if j, _ = s.Job(ctx, j.ID); j.State != queue.Cancelled {
		t.Fatalf("%+v", j)
	}
	if err := s.DropPhoto(ctx, batchOf(t, s, m.ID), 1); !errors.As(err, &in) {
		t.Errorf("dropped out of a batch that was ordered: %v", err)
	}
	workers(t, s, 1)
	if j, err = s.MarkPhotos(ctx, w, batchOf(t, s, m.ID), Laying{}); err != nil {
		t.Fatal(err)
	}
	if j = until(t, s, j.ID); j.State != queue.Done {
		t.Fatalf("%+v", j)
	}
	b = batchOf(t, s, m.ID)
	if bad := b.Failed(); b.Done() != 6 || len(bad) != 1 || bad[0].Name != "cut.jpg" || !strings.Contains(bad[0].Error, "end too early") {
		t.Errorf("%d done, %+v", b.Done(), bad)
	}
	if j, err := s.LastJob(ctx, m.ID); j != nil || err != nil {
		t.Errorf("a batch counts as a build: %+v, %v", j, err)
	}
	if err := s.AgainPhotos(ctx, m, b); err != nil {
		t.Fatal(err)
	}
	if again := batchOf(t, s, m.ID); again.ID == b.ID || !again.Draft() || len(again.Photos) != 7 || again.Done() != 0 {
		t.Errorf("laid again: %+v", again)
	}
	if c, err := s.collect(ctx, 0); err != nil || c.Count > 1 { // what was zipped is not kept
		t.Errorf("collected: %v, %v", c, err)
	}
	if _, err := s.MarkedPhoto(ctx, b.Photos[0]); err != nil {
		t.Errorf("a copy was collected: %v", err)
	}
	look, err := s.CopyLook(ctx, b.Photos[0], TrySmall)
	if c, err2 := jpeg.DecodeConfig(bytes.NewReader(look)); err != nil || err2 != nil || max(c.Width, c.Height) > TrySmall {
		t.Errorf("a copy is seen as %+v: %v, %v", c, err, err2)
	}
	if err := s.PutAway(ctx, m.ID); err != nil {
		t.Fatal(err)
	}
	if err := s.Delete(ctx, m.ID); err != nil {
		t.Error(err)
	}
}
