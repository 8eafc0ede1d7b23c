package studio

import (
	"context"
	"database/sql"
	"errors"
	"strings"
	"unicode/utf8"

	"dyekit/core/fonts"
	"dyekit/studio/decision"
)

// A Font is a font file that a client's masters are set in.
type Font struct {
	Family   string
	Filename string
}

// A Upload is a file a person hands in.
type Upload struct {
	Filename string
	Data     []byte
}

// AddFont keeps a font for the client of a mark; all its marks may use it.
func (s *Studio) AddFont(ctx context.Context, mark int64, u Upload) error {
	m, err := s.Mark(ctx, mark)
	if err != nil {
		return err
	}
	return s.addFont(ctx, m.ClientID, u)
}

func (s *Studio) addFont(ctx context.Context, client int64, u Upload) error {
	family, err := fontFamily(u)
	if err != nil {
		return err
	}
	h, err := s.put(ctx, u.Data)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO fonts (client_id, family, filename, sha256, who) VALUES (?, ?, ?, ?, ?)", client, family, fileName(u.Filename), h[:], person(ctx)); err != nil {
			return err
		}
		return unsee(ctx, tx, "client_id", client)
	})
}

// fontFamily reads a font to see that it is one.
func fontFamily(u Upload) (string, error) {
	switch {
	case len(u.Data) == 0:
		return "", decision.Wrong("font", "choose the font's file")
	case len(u.Data) > fonts.MaxBytes:
		return "", decision.Wrong("font", "%s is larger than %d MB", fileName(u.Filename), fonts.MaxBytes>>20)
	}
	family, err := fonts.Name(u.Data)
	if err != nil || family == "" || !utf8.ValidString(family) {
		return "", decision.Wrong("font", "%s is not a font that can be read here (.ttf, .otf, .woff or .woff2)", fileName(u.Filename))
	}
	return family, nil
}

// Fonts lists what was added for the client of a mark.
func (s *Studio) Fonts(ctx context.Context, m *Mark) ([]Font, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT family, filename FROM fonts WHERE client_id = ? ORDER BY family, id", m.ClientID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Font
	for rows.Next() {
		var f Font
		if err := rows.Scan(&f.Family, &f.Filename); err != nil {
			return nil, err
		}
		out = append(out, f)
	}
	return out, rows.Err()
}

// clientID finds a client by name, 0 if there is none yet.
func (s *Studio) clientID(ctx context.Context, name string) (int64, error) {
	var id int64
	err := s.db.QueryRowContext(ctx, "SELECT id FROM clients WHERE studio_id = ? AND name = ?", house(ctx), name).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return id, err
}

// clientFonts lists the hashes of a client's fonts, in hex.
func (s *Studio) clientFonts(ctx context.Context, client int64) ([]string, error) {
	var all sql.NullString
	err := s.db.QueryRowContext(ctx, "SELECT "+fontList+" FROM (SELECT ? AS client_id) m", client).Scan(&all)
	return splitFonts(all.String), err
}

// fontList is the hashes of the fonts of m.client_id, joined by commas.
const fontList = "(SELECT GROUP_CONCAT(LOWER(HEX(f.sha256)) ORDER BY f.id) FROM fonts f WHERE f.client_id = m.client_id)"

func splitFonts(s string) []string {
	if s == "" {
		return nil
	}
	return strings.Split(s, ",")
}
