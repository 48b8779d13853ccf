package block

import (
	"slices"

	"lastblock/core/value/period"
)

// Standing is a source as the newest block has it that has read its period.
type Standing struct {
	Source
	Number int // of the block
}

// Stands are all sources whose periods were closed, as they stand: a close reads all up to its period, so that
// of each source the newest block counts that has closed its period or a later one; of a form, which a grid may have
// of one period alone, the newest block that has forms of its period. through is the latest period
// that was closed, the zero value where none was. Sources whose names tell no period are not among them. The error
// is a *BrokenError, or what reading returned.
func (c *Chain) Stands() (all []Standing, through period.Period, err error) {
	covered := false
	forms := make(map[string]int) // the newest block with forms of a result and a period
	for i := len(c.Entries) - 1; i >= 0; i-- {
		e := &c.Entries[i]
		closed, ok := period.Parse(e.Period)
		if !ok {
			continue
		}
		older := covered && closed.Last() <= through.Last() // so that newer blocks have read its records as well
		if older && !e.hasForms() {
			continue
		}
		sources, err := c.Sources(e)
		if err != nil {
			return nil, through, err
		}
		for k := range sources {
			of, known := period.Parse(sources[k].Period)
			if !known || of.Last() > closed.Last() {
				continue
			}
			counts := !older && (!covered || of.Last() > through.Last())
			if sources[k].Of != "" {
				key := sources[k].Of + "\x00" + sources[k].Period
				if forms[key] == 0 {
					forms[key] = e.Number
				}
				counts = forms[key] == e.Number
			}
			if counts {
				all = append(all, Standing{sources[k], e.Number})
			}
		}
		if !older {
			through, covered = closed, true
		}
	}
	return all, through, nil
}

// hasForms tells whether forms may be among the sources of a block.
func (b *Block) hasForms() bool {
	return slices.ContainsFunc(b.Results, func(r Result) bool { return r.Command == "overlay" })
}
