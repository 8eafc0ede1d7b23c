package studio

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"io"
	"time"

	"dyekit/core/kit"
)

// A Kit is one built, numbered, unchangeable package. What is said of each of its
// files stands in its report.
type Kit struct {
	ID       int64
	MarkID   int64
	Number   int
	Name     string // of its folder
	Build    string // name of the build: all it was made from
	Recipe   string
	Revision int // of the master
	Files    int
	Missing  int // files that were wanted and are not there
	Bytes    int // of the files together
	Built    time.Time
	Who      string // ordered it
}

// Incomplete reports whether files are missing.
func (k *Kit) Incomplete() bool { return k.Missing > 0 }

const selectKit = "SELECT id, mark_id, number, name, LOWER(HEX(build)), recipe, revision, files, missing, bytes, created_at, who FROM kits "

func scanKit(row interface{ Scan(...any) error }) (*Kit, error) {
	var k Kit
	err := row.Scan(&k.ID, &k.MarkID, &k.Number, &k.Name, &k.Build, &k.Recipe, &k.Revision, &k.Files, &k.Missing, &k.Bytes, &k.Built, &k.Who)
	if err != nil {
		return nil, err
	}
	return &k, nil
}

// Kits lists the kits of a mark, newest first.
func (s *Studio) Kits(ctx context.Context, mark int64) ([]*Kit, error) {
	rows, err := s.db.QueryContext(ctx, selectKit+"WHERE mark_id = ? ORDER BY number DESC", mark)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var ks []*Kit
	for rows.Next() {
		k, err := scanKit(rows)
		if err != nil {
			return nil, err
		}
		ks = append(ks, k)
	}
	return ks, rows.Err()
}

// Kit returns one kit.
func (s *Studio) Kit(ctx context.Context, id int64) (*Kit, error) {
	k, err := scanKit(s.db.QueryRowContext(ctx, selectKit+"WHERE id = ?", id))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return k, err
}

// Report is what was found in a kit when it was built.
func (s *Studio) Report(ctx context.Context, kitID int64) (*kit.Report, error) {
	var body []byte
	err := s.db.QueryRowContext(ctx, "SELECT report FROM kits WHERE id = ?", kitID).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	var r kit.Report
	return &r, json.Unmarshal(body, &r)
}

// File returns one file of a kit by its path.
func (s *Studio) File(ctx context.Context, kitID int64, path string) ([]byte, error) {
	h, err := s.fileHash(ctx, kitID, path)
	if err != nil {
		return nil, err
	}
	return s.get(ctx, h)
}

// OpenFile opens one file of a kit, to be read from anywhere in it.
func (s *Studio) OpenFile(ctx context.Context, kitID int64, path string) (*Reader, error) {
	h, err := s.fileHash(ctx, kitID, path)
	if err != nil {
		return nil, err
	}
	r, err := s.open(ctx, h)
	if err != nil {
		return nil, err
	}
	return r, r.verify()
}

func (s *Studio) fileHash(ctx context.Context, kitID int64, path string) (Hash, error) {
	var h []byte
	err := s.db.QueryRowContext(ctx, "SELECT sha256 FROM kit_files WHERE kit_id = ? AND path = ?", kitID, path).Scan(&h)
	if errors.Is(err, sql.ErrNoRows) {
		return Hash{}, ErrNotFound
	}
	if err != nil {
		return Hash{}, err
	}
	return Hash(h), nil
}

// Zip writes a kit's zip: the same bytes each time.
func (s *Studio) Zip(ctx context.Context, k *Kit, w io.Writer) error {
	rows, err := s.db.QueryContext(ctx, "SELECT path, sha256 FROM kit_files WHERE kit_id = ? ORDER BY seq", k.ID)
	if err != nil {
		return err
	}
	defer rows.Close()
	var files []kit.File
	for rows.Next() {
		var f kit.File
		var h []byte
		if err := rows.Scan(&f.Path, &h); err != nil {
			return err
		}
		f.SHA256 = Hash(h).String()
		files = append(files, f)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return kit.Zip(w, k.Name, files, func(f kit.File) ([]byte, error) {
		h, err := parseHash(f.SHA256)
		if err != nil {
			return nil, err
		}
		return s.get(ctx, h)
	})
}
