// Package pack is what a month end came to, section by section, as data: who has filed, what was declared, doubles,
// statements, summaries, grids, findings and the proof. A close seals it beside its block, so that the page and the
// workbook for the manager can be made of a block alone, when the sources are long gone.
package pack

import (
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
)

// Version is that of the packs which this package writes. One of version 1 is a single document.
const Version = 2

// Pack is what a month end came to. Names of sources are those that results have; amounts are exact.
type Pack struct {
	Version int           `json:"version"`
	Period  string        `json:"period"`
	Verdict block.Verdict `json:"verdict"`
	Since   int           `json:"since,omitempty"` // the block that it is held against, 0 for none

	Filed           *Filed           `json:"filed,omitempty"`
	Summaries       []Summary        `json:"summaries,omitempty"`
	Declared        []Declared       `json:"declared,omitempty"`
	Doubles         *Doubles         `json:"doubles,omitempty"`
	Reconciliations []Reconciliation `json:"reconciliations,omitempty"`
	Grids           []Grid           `json:"grids,omitempty"`
	Findings        []Finding        `json:"findings,omitempty"`
	Sources         []Source         `json:"sources"`
	PassedOver      []PassedOver     `json:"passed_over,omitempty"`
	Proof           Proof            `json:"proof"`

	mutual map[string]bool // findings of reconciliations between entities, by their IDs
}

// Filed is who has filed for which period.
type Filed struct {
	Periods  []string   `json:"periods"` // "" alone where the names of the files tell none
	Entities []FiledRow `json:"entities"`
}

// FiledRow is one entity.
type FiledRow struct {
	Entity string      `json:"entity"`
	Cells  []FiledCell `json:"cells"` // by Filed.Periods
}

// FiledCell is one entity in one period; its status is one of tieout.Status.
type FiledCell struct {
	Status  string   `json:"status"`
	Rows    int      `json:"rows"`
	Sources []string `json:"sources,omitempty"`
}

// Summary is a summary in its form.
type Summary struct {
	Name   string        `json:"name"` // as the plan calls it, or its command
	By     []string      `json:"by"`   // columns of the groups, and of the figures of a block
	Column string        `json:"column,omitempty"`
	Across []string      `json:"across,omitempty"` // values of Column, over which the sums are spread
	Sums   []string      `json:"sums"`
	Share  bool          `json:"share,omitempty"`
	Groups int           `json:"groups"` // that there are; Lines may have fewer
	Lines  []SummaryLine `json:"lines"`  // the last of them is the total, but for what is in suspense
}

// SummaryLine is a row of a summary.
type SummaryLine struct {
	Kind    LineKind           `json:"kind"`
	Key     []string           `json:"key,omitempty"`
	Records int                `json:"records"`
	Sums    []amount.Amount    `json:"sums"`
	Cells   [][]*amount.Amount `json:"cells,omitempty"` // by Across, then by Sums; nil where no record is
	// Unread tells of what is in suspense in which of Sums no amount at all can be read.
	Unread []bool `json:"unread,omitempty"`
}

// LineKind says what a line of a summary is about.
type LineKind string

// The kinds of lines.
const (
	Group    LineKind = "group"
	Subtotal LineKind = "subtotal"
	Rest     LineKind = "rest" // groups that are not among the largest
	Total    LineKind = "total"
	Suspense LineKind = "suspense"
)

// Declared is a figure that was declared of a source, held against what was found.
type Declared struct {
	Source     string        `json:"source"`
	Figure     string        `json:"figure"`
	Declared   amount.Amount `json:"declared"`
	Found      amount.Amount `json:"found"`
	Difference amount.Amount `json:"difference"` // found less declared
}

// Doubles are what would be counted twice.
type Doubles struct {
	Totals []string     `json:"totals"`
	Kinds  []DoubleRow  `json:"kinds"`
	Pairs  []DoublePair `json:"pairs,omitempty"`
}

// DoubleRow sums up the findings of a kind.
type DoubleRow struct {
	Kind     finding.Kind    `json:"kind,omitempty"`
	Findings int             `json:"findings"`
	Records  int             `json:"records"`
	Totals   []amount.Amount `json:"totals"`
}

// DoublePair sums up those about two entities, which may be one and the same.
type DoublePair struct {
	A string `json:"a"`
	B string `json:"b"`
	DoubleRow
}

// Reconciliation is what leads from the records to a reference.
type Reconciliation struct {
	Name       string      `json:"name"`
	By         []string    `json:"by,omitempty"`
	Totals     []string    `json:"totals"`
	Mutual     bool        `json:"mutual,omitempty"` // between the entities, and not with a reference
	Statements []Statement `json:"statements"`       // the first is of all; the others are of groups
}

// Statement leads from one total to another; the lines between the first and the last lead from the one to the other.
type Statement struct {
	Group []string        `json:"group,omitempty"`
	Lines []StatementLine `json:"lines"`
}

// StatementLine is a line of a statement.
type StatementLine struct {
	Label   string          `json:"label"`
	Count   int             `json:"count"`
	Amounts []amount.Amount `json:"amounts"`
}

// Grid is what forms came to.
type Grid struct {
	Name   string      `json:"name"`
	By     []string    `json:"by"` // of the figures of a block: row and column, and the cell where these do not do
	Forms  int         `json:"forms"`
	Blocks []GridBlock `json:"blocks"`
}

// GridBlock is an area of a grid.
type GridBlock struct {
	Rows    []GridLine   `json:"rows"`
	Columns []GridLine   `json:"columns"`
	Figures []GridFigure `json:"figures"` // row after row
}

// GridLine is a row or a column.
type GridLine struct {
	Name  string `json:"name"`
	Total bool   `json:"total,omitempty"`
	Head  bool   `json:"head,omitempty"` // without figures
}

// GridFigure is a figure, blank where no form has it.
type GridFigure struct {
	Amount *amount.Amount `json:"amount,omitempty"`
	Cell   string         `json:"cell,omitempty"`
}

// Finding is a finding with whom it is about.
type Finding struct {
	finding.Finding
	Entity   string           `json:"entity,omitempty"`
	Period   string           `json:"period,omitempty"`
	Mutual   bool             `json:"mutual,omitempty"` // it speaks of records of other entities, too
	User     string           `json:"user,omitempty"`   // who has decided
	Time     *time.Time       `json:"time,omitempty"`
	Decision decision.Verdict `json:"decision,omitempty"`
}

// Source is what was read of a source.
type Source struct {
	Source   string          `json:"source"`
	Of       string          `json:"of,omitempty"` // the grid whose form it is
	Entity   string          `json:"entity,omitempty"`
	Period   string          `json:"period,omitempty"`
	Rows     int             `json:"rows"`
	Suspense int             `json:"suspense,omitempty"`
	Dropped  int             `json:"dropped,omitempty"`
	Totals   []amount.Amount `json:"totals,omitempty"`
}

// PassedOver is a file that was not read, and why.
type PassedOver struct {
	Source string `json:"source"`
	Reason string `json:"reason"`
}

// Proof is the proof of all that was read.
type Proof struct {
	Read     int          `json:"read"`
	Used     int          `json:"used"`
	Suspense int          `json:"suspense"`
	Dropped  int          `json:"dropped"`
	Totals   []ProofTotal `json:"totals"`
}

// ProofTotal is that of a total.
type ProofTotal struct {
	Column   string        `json:"column"`
	Read     amount.Amount `json:"read"`
	Used     amount.Amount `json:"used"`
	Suspense amount.Amount `json:"suspense"`
	Dropped  amount.Amount `json:"dropped"`
	// Unread is how many records in suspense have an amount that cannot be read, and so is in no figure.
	Unread int `json:"unread,omitempty"`
}
