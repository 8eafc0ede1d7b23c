package kit

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"dyekit/core/advice"
	"dyekit/core/photomark"
)

// PhotoMark is a version as it is laid on photographs: trimmed to its art. An empty
// name gives no mark.
func (p *Plan) PhotoMark(name string) (photomark.Mark, error) {
	if name == "" {
		return photomark.Mark{}, nil
	}
	var names []string
	for _, v := range p.Versions {
		names = append(names, v.Spec.Name)
		if v.Spec.Name != name {
			continue
		}
		if v.Drawing == nil {
			return photomark.Mark{}, fmt.Errorf("the version %s cannot be made: %s", name, v.Refused)
		}
		return photomark.Mark{Drawing: v.Drawing, Box: v.Drawing.Bounds()}, nil
	}
	return photomark.Mark{}, fmt.Errorf("there is no version %s; there are %s", name, strings.Join(names, ", "))
}

// DarkAndLight names the versions that are laid on light and on dark photographs
// unless somebody says otherwise, as is advised for those. A name is empty where there
// is none, or where it stands no better than the other.
func (p *Plan) DarkAndLight(ctx context.Context) (dark, light string, err error) {
	vs, err := p.Judged(ctx, advice.Coarse)
	if err != nil {
		return "", "", err
	}
	plain := slices.DeleteFunc(vs, func(v advice.Judged) bool { return v.Backing != nil || v.Look.Sheet != nil && !v.OneInk || v.Part })
	i, _ := advice.Choose(advice.PhotoLight, true, plain)
	j, _ := advice.Choose(advice.PhotoDark, true, plain)
	if i >= 0 && i == j {
		if plain[i].On(advice.PhotoLight).Contrast >= plain[i].On(advice.PhotoDark).Contrast {
			j = -1
		} else {
			i = -1
		}
	}
	if i >= 0 {
		dark = plain[i].Name
	}
	if j >= 0 {
		light = plain[j].Name
	}
	return dark, light, nil
}
