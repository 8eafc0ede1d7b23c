package studio

import (
	"context"
	"database/sql"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dyekit/core/advice"
	"dyekit/core/asked"
	"dyekit/core/format"
	"dyekit/core/recipe"
	"dyekit/studio/secret"
)

// A handover has a second address, under which its files are shown in public: by web sites,
// mail signatures and wikis. It always gives those of the newest kit, and tells nothing of the
// link, which opens the client's page.

// Address is that address, as it stands in a URL. A handover behind a passphrase has none: "".
func (s *Studio) Address(ctx context.Context, h *Hand) (string, error) {
	if h.Locked || h.ID == 0 {
		return "", nil
	}
	sum, err := s.sum(ctx, "address", fmt.Sprint(h.ID))
	if err != nil {
		return "", err
	}
	address := base64.RawURLEncoding.EncodeToString(sum[:18])
	hash := secret.Hash(address)
	_, err = s.db.ExecContext(ctx, "UPDATE hands SET address = ? WHERE id = ? AND address IS NULL", hash[:], h.ID)
	return address, err
}

// Shown returns the handover of a public address and the kit whose files it shows now. What was
// withdrawn, has expired or got a passphrase is not found.
func (s *Studio) Shown(ctx context.Context, address string) (*Hand, *Kit, error) {
	hash := secret.Hash(address)
	h, err := scanHand(s.db.QueryRowContext(ctx, selectHand+"WHERE h.address = ?", hash[:]))
	if err == nil && (h.Closed(time.Now()) || h.Locked) {
		err = ErrNotFound
	}
	if err != nil {
		return nil, nil, err
	}
	k, err := s.Kit(ctx, h.KitID)
	if err != nil {
		return nil, nil, err
	}
	newer, err := s.Newer(ctx, h, k)
	if newer != nil {
		k = newer
	}
	return h, k, err
}

// A Latest is a file of a kit under its public address.
type Latest struct {
	Name string // white.svg
	Path string // in the kit, or as it was made
	Hash Hash
}

// Latest finds the file of a kit for a name such as white.svg: the kit's own, or one that is
// made, as the link allows. size is as recipes write it, "" for the usual one.
func (s *Studio) Latest(ctx context.Context, h *Hand, k *Kit, name, size string) (*Latest, error) {
	p, err := s.Page(ctx, k)
	if err != nil {
		return nil, err
	}
	p = p.Without(h.HideTypes)
	dot := strings.LastIndexByte(name, '.')
	if dot < 1 {
		return nil, ErrNotFound
	}
	kind, ok := format.ByExt(name[dot:])
	if !ok || !kind.Shown {
		return nil, ErrNotFound
	}
	var v advice.Traits
	for _, x := range p.Versions {
		if recipe.Slug(x.Name) == name[:dot] {
			v = x
		}
	}
	if v.Name == "" {
		return nil, ErrNotFound
	}
	o := asked.Order{Entry: recipe.Entry{Format: kind.Key, Versions: []string{v.Name}, Colour: format.RGB}}
	if err := o.SetSizes(size); err != nil {
		return nil, fmt.Errorf("%w: %v", asked.ErrSize, err)
	}
	o = o.Usual(v)
	want := o.File(v)
	for _, f := range p.Files {
		if f.Version == v.Name && f.Format == kind.Key && !f.InSet() && f.Colour == format.RGB && (kind.Curves || f.WidthPx == want.WidthPx && f.HeightPx == want.HeightPx) {
			hash, err := s.fileHash(ctx, k.ID, f.Path)
			return &Latest{name, f.Path, hash}, err
		}
	}
	m, err := s.Make(ctx, h, k, o)
	if err != nil {
		return nil, err
	}
	return &Latest{name, m.Path, m.hash}, nil
}

// OpenLatest opens its bytes.
func (s *Studio) OpenLatest(ctx context.Context, l *Latest) (*Reader, error) {
	r, err := s.open(ctx, l.Hash)
	if err != nil {
		return nil, err
	}
	return r, r.verify()
}

// Twin is a file of a handover by its bytes: the one that a name stood for once. Only what is in
// a kit of the handover's mark, or was made of one, is shown.
func (s *Studio) Twin(ctx context.Context, h *Hand, k *Kit, name, hash string) (*Latest, error) {
	x, err := parseHash(hash)
	if err != nil {
		return nil, ErrNotFound
	}
	kind, ok := format.ByExt(name[max(0, strings.LastIndexByte(name, '.')):])
	if !ok || !kind.Shown || slices.Contains(h.HideTypes, kind.Key) {
		return nil, ErrNotFound
	}
	var path string
	err = s.db.QueryRowContext(ctx, `SELECT path FROM (SELECT f.path FROM kit_files f JOIN kits k ON k.id = f.kit_id WHERE k.mark_id = ? AND k.number >= (SELECT number FROM kits WHERE id = ?) AND f.sha256 = ? AND f.path NOT LIKE 'MASTER/%'
		UNION ALL SELECT m.path FROM made m JOIN kits k ON k.id = m.kit_id WHERE k.mark_id = ? AND m.sha256 = ?) AS all_of LIMIT 1`, k.MarkID, h.KitID, x[:], k.MarkID, x[:]).Scan(&path)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	if f, ok := format.ByExt(path[max(0, strings.LastIndexByte(path, '.')):]); !ok || f.Key != kind.Key {
		return nil, ErrNotFound
	}
	return &Latest{name, path, x}, nil
}
