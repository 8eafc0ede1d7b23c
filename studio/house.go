package studio

import (
	"bytes"
	"context"
	"image"
	_ "image/jpeg" // portraits may be
	_ "image/png"
	"strings"
	"unicode/utf8"

	"dyekit/studio/decision"
)

// A House is the studio as its clients see it: who prepares the kits.
type House struct {
	ID       int64
	Name     string
	Greeting string // proposed for new links
	Mail     string // where questions go to, "" for nowhere
	Portrait string // name of its picture, "" for none
}

// MaxPortrait bounds the picture of a studio, in bytes, and maxPortraitSide each
// side of it, in px.
const (
	MaxPortrait     = 400_000
	maxPortraitSide = 2000
)

// House returns the studio of this context.
func (s *Studio) House(ctx context.Context) (h House, err error) {
	var portrait []byte
	err = s.db.QueryRowContext(ctx, "SELECT id, name, greeting, mail, portrait FROM studios WHERE id = ?", house(ctx)).Scan(&h.ID, &h.Name, &h.Greeting, &h.Mail, &portrait)
	if portrait != nil {
		h.Portrait = Hash(portrait).String()
	}
	return h, err
}

// SetHouse changes how clients see the studio. portrait is a PNG or JPEG, nil to
// leave the one there is, empty to take it away.
func (s *Studio) SetHouse(ctx context.Context, h House, portrait []byte) error {
	name, greeting, mail := strings.Join(strings.Fields(h.Name), " "), strings.TrimSpace(h.Greeting), strings.TrimSpace(h.Mail)
	switch {
	case utf8.RuneCountInString(name) > MaxName:
		return decision.Wrong("name", "the name is longer than %d letters", MaxName)
	case utf8.RuneCountInString(greeting) > MaxGreeting:
		return decision.Wrong("greeting", "the greeting is longer than %d letters", MaxGreeting)
	case mail != "" && checkAddress(mail) != nil:
		return decision.Wrong("mail", "%q is no address for mail", cut(mail, MaxName))
	}
	if len(portrait) > 0 {
		media, err := portraitMedia(portrait)
		if err != nil {
			return err
		}
		h, err := s.put(ctx, portrait)
		if err != nil {
			return err
		}
		if err := s.oneRow(ctx, "UPDATE studios SET portrait = ?, portrait_media = ? WHERE id = ?", h[:], media, house(ctx)); err != nil {
			return err
		}
	} else if portrait != nil {
		if err := s.oneRow(ctx, "UPDATE studios SET portrait = NULL, portrait_media = '' WHERE id = ?", house(ctx)); err != nil {
			return err
		}
	}
	return s.oneRow(ctx, "UPDATE studios SET name = ?, greeting = ?, mail = ? WHERE id = ?", name, greeting, mail, house(ctx))
}

func portraitMedia(data []byte) (string, error) {
	if len(data) > MaxPortrait {
		return "", decision.Wrong("portrait", "the picture weighs more than %d kB", MaxPortrait/1000)
	}
	c, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || kind != "png" && kind != "jpeg" {
		return "", decision.Wrong("portrait", "the picture is neither PNG nor JPEG")
	}
	if c.Width > maxPortraitSide || c.Height > maxPortraitSide {
		return "", decision.Wrong("portrait", "the picture has %d × %d px; at most %d a side are kept", c.Width, c.Height, maxPortraitSide)
	}
	return "image/" + kind, nil
}

// Portrait returns the picture of the studio that a kit comes from, with its media
// type.
func (s *Studio) Portrait(ctx context.Context, house int64) (data []byte, media string, err error) {
	var h []byte
	if err := s.db.QueryRowContext(ctx, "SELECT portrait, portrait_media FROM studios WHERE id = ?", house).Scan(&h, &media); err != nil || h == nil {
		return nil, "", ErrNotFound
	}
	data, err = s.get(ctx, Hash(h))
	return data, media, err
}

// HouseOfClient is the studio that a client is of.
func (s *Studio) HouseOfClient(ctx context.Context, client int64) (House, error) {
	var id int64
	if err := s.db.QueryRowContext(ctx, "SELECT studio_id FROM clients WHERE id = ?", client).Scan(&id); err != nil {
		return House{}, err
	}
	return s.House(InHouse(ctx, id))
}

// HouseOf is the studio that a kit comes from.
func (s *Studio) HouseOf(ctx context.Context, k *Kit) (House, error) {
	var id int64
	err := s.db.QueryRowContext(ctx, "SELECT c.studio_id FROM marks m JOIN clients c ON c.id = m.client_id WHERE m.id = ?", k.MarkID).Scan(&id)
	if err != nil {
		return House{}, err
	}
	return s.House(InHouse(ctx, id))
}
