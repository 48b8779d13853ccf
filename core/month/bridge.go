package month

import (
	"fmt"

	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
)

// Bridge leads from a figure as it was sealed to what it is now. Its lines foot.
type Bridge struct {
	Result string       // as the plan calls it, or its command
	Column string       // what is added up
	Group  []block.Word // nil of all groups together
	Lines  []BridgeLine // the first is as sealed, the last is now
}

// Change is what the figure has changed by.
func (b *Bridge) Change() amount.Amount {
	return b.Lines[len(b.Lines)-1].Amount.Sub(b.Lines[0].Amount)
}

// BridgeLine is a line of a bridge.
type BridgeLine struct {
	Label  string // sealed, new, changed, moved, gone, plan, references, decisions, now
	Source string // of new, changed, moved and gone
	Amount amount.Amount
}

// The labels of lines that are about no source.
const (
	LineSealed     = "sealed"
	LinePlan       = "plan"
	LineReferences = "references"
	LineDecisions  = "decisions"
	LineOther      = "other" // nothing of these, as another version of Lastblock
	LineNow        = "now"
)

// currencyColumn is the column whose values are never added to one another.
const currencyColumn = "currency"

// BridgeOptions say which bridges are made.
type BridgeOptions struct {
	By  []string // columns of groups; nil for those of each result
	Top int      // groups that moved most, of each total; 0 for none
}

// FootingError is a bridge whose lines do not come to what the results come to now: an internal error.
type FootingError struct{ Result, Column, Lines, Now string }

func (e *FootingError) Error() string {
	return fmt.Sprintf("internal error: the bridge of %s of %s comes to %s, and the result to %s", e.Column, e.Result,
		e.Lines, e.Now)
}

// mostLines is how many sources a bridge names that is sealed; of more there is a line for each change.
const mostLines = 1000

// Sealed is the bridge as a block has it. Where very many sources are new, changed or gone, each of these has
// one line.
func (b *Bridge) Sealed(since int) block.Bridge {
	sealed := block.Bridge{Since: since, Result: b.Result, Column: b.Column, Group: b.Group}
	if sealed.Group == nil {
		sealed.Group = []block.Word{}
	}
	for _, line := range b.Short(mostLines) {
		sealed.Lines = append(sealed.Lines, block.BridgeLine{Label: line.Label, Source: line.Source,
			Amount: line.Amount.String()})
	}
	return sealed
}

// Short are its lines, those of a label together where there are more than most.
func (b *Bridge) Short(most int) (lines []BridgeLine) {
	count := make(map[string]int)
	for i := range b.Lines {
		count[b.Lines[i].Label]++
	}
	place := make(map[string]int)
	for _, line := range b.Lines {
		if count[line.Label] <= most {
			lines = append(lines, line)
			continue
		}
		at, known := place[line.Label]
		if !known {
			at = len(lines)
			place[line.Label] = at
			lines = append(lines, BridgeLine{Label: line.Label, Source: words.Count(count[line.Label], "source")})
		}
		lines[at].Amount = lines[at].Amount.Add(line.Amount)
	}
	return lines
}
