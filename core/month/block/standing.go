package block

import "lastblock/core/value/period"

// Standing is a source as the newest block has it that has read its period.
type Standing struct {
	Source
	Number int // of the block
}

// Stands are all sources whose periods were closed, as they stand: a close reads all up to its period, so that
// of each source the newest block counts that has closed its period or a later one. through is the latest period
// that was closed, the zero value where none was. Sources whose names tell no period are not among them. The error
// is a *BrokenError, or what reading returned.
func (c *Chain) Stands() (all []Standing, through period.Period, err error) {
	covered := false
	for i := len(c.Entries) - 1; i >= 0; i-- {
		e := &c.Entries[i]
		closed, ok := period.Parse(e.Period)
		if !ok || covered && closed.Last() <= through.Last() {
			continue // what it has read newer blocks have read as well
		}
		sources, err := c.Sources(e)
		if err != nil {
			return nil, through, err
		}
		for k := range sources {
			of, known := period.Parse(sources[k].Period)
			if known && of.Last() <= closed.Last() && (!covered || of.Last() > through.Last()) {
				all = append(all, Standing{sources[k], e.Number})
			}
		}
		through, covered = closed, true
	}
	return all, through, nil
}
