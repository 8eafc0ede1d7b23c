package kit

import (
	"fmt"
	"strings"

	"dyekit/core/photomark"
	"dyekit/core/version"
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
// unless somebody says otherwise: the darkest and the lightest of those in one ink
// that stand alone. A name is empty where there is none.
func (p *Plan) DarkAndLight() (dark, light string) {
	const middle = 50 // L*
	low, high := float64(middle), float64(middle)
	for _, v := range p.Versions {
		c, ok := ink(v)
		if !ok || v.Drawing == nil || v.OnBacking() || !v.Spec.Whole() || v.Spec.Square || v.Spec.Treatment != version.SingleInk {
			continue
		}
		if l := c.Lab().L; l < low {
			dark, low = v.Spec.Name, l
		} else if l > high {
			light, high = v.Spec.Name, l
		}
	}
	return dark, light
}
