package studio

import (
	"bytes"
	"context"
	"encoding/json"
	"strings"

	"dyekit/core/kit"
)

// Case packs what is needed to look into files that a kit lacks: the master as
// it came, the drawings of their own, the manifest with recipe, inks, mends and parts, and what was found.
// It is for the person to send to whoever looks after Dye Kit; nothing is sent
// by itself.
func (s *Studio) Case(ctx context.Context, k *Kit) ([]byte, error) {
	if !k.Incomplete() {
		return nil, ErrNotFound
	}
	r, err := s.Report(ctx, k.ID)
	if err != nil {
		return nil, err
	}
	manifest, err := s.File(ctx, k.ID, "kit.json")
	if err != nil {
		return nil, err
	}
	var m kit.Manifest
	if err := json.Unmarshal(manifest, &m); err != nil {
		return nil, err
	}
	master, err := s.File(ctx, k.ID, m.Master.Path)
	if err != nil {
		return nil, err
	}
	var words strings.Builder
	words.WriteString("Dye Kit " + m.Release + "\n\n")
	for _, f := range r.Failed {
		words.WriteString(f.Path + "\n  " + f.Reason + "\n")
	}
	data := map[string][]byte{"what-happened.txt": []byte(words.String()), "kit.json": manifest, m.Master.Path: master}
	files := []kit.File{{Path: "what-happened.txt"}, {Path: "kit.json"}, {Path: m.Master.Path}}
	for _, d := range m.Drawings {
		if data[d.Path], err = s.File(ctx, k.ID, d.Path); err != nil {
			return nil, err
		}
		files = append(files, kit.File{Path: d.Path})
	}
	var b bytes.Buffer
	err = kit.Zip(&b, k.Name+"_case", files, func(f kit.File) ([]byte, error) { return data[f.Path], nil })
	return b.Bytes(), err
}
