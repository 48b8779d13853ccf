package record

// Kind is what a column holds.
type Kind string

// The kinds of columns.
const (
	Text   Kind = "text"
	Amount Kind = "amount"
	Date   Kind = "date"
	Flag   Kind = "flag"
)

// Kinds are all kinds.
var Kinds = []Kind{Text, Amount, Date, Flag}
