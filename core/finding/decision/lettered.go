package decision

import (
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/option"
)

// Lettered are the places of a finding that are called by some letters, to be left out. The error is
// an *option.Error.
func Lettered(f *finding.Finding, letters []string) ([]Dropped, error) {
	if len(f.Places) == 0 {
		return nil, option.Errorf("drop", "%s names nothing that could be left out; only what doubles has found does",
			f.ID)
	}
	var have []string
	for i := range f.Places {
		have = append(have, f.Places[i].Letter)
	}
	var all []Dropped
	for _, letter := range letters {
		at := slices.Index(have, strings.ToUpper(strings.TrimSpace(letter)))
		if at < 0 {
			return nil, option.Wrong("drop", letter, "%s has no place of that letter; it has %s", f.ID,
				strings.Join(have, ", "))
		}
		p := &f.Places[at]
		d := Dropped{Source: p.Source, Sheet: p.Sheet, Line: p.Line, Print: p.Print}
		if !slices.Contains(all, d) {
			all = append(all, d)
		}
	}
	if len(all) == len(f.Places) && f.Kind != finding.TotalOrRecord {
		return nil, option.Wrong("drop", strings.Join(letters, ","),
			"nothing of %s would be counted any more; keep one", f.ID)
	}
	return all, nil
}
