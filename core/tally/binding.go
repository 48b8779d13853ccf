package tally

import (
	"lastblock/core/record"
	"lastblock/core/source"
)

// Binding is where columns are in the source of a batch, and how their amounts are written there.
// It is for one goroutine.
type Binding struct {
	Bound    []Bound // by column
	Decimals []byte  // the decimal mark, by column

	set     *source.Set
	columns []Column
	head    *record.Head
	index   int // of the source, plus one
}

// Bound is a column within one source: the index of a data column, or -1 and
// the text that stands in every record.
type Bound struct {
	Column   int
	Constant []byte
}

// NewBinding makes a binding of columns to the sources of a set.
func NewBinding(set *source.Set, columns []Column) *Binding {
	return &Binding{Bound: make([]Bound, len(columns)), Decimals: make([]byte, len(columns)), set: set,
		columns: columns}
}

// To binds to the source of a batch, and tells whether that is another one than before.
func (f *Binding) To(b *source.Batch) bool {
	again := f.head == b.Head // whose columns many sources share
	if f.index == b.Index+1 && again {
		return false
	}
	f.index = b.Index + 1
	f.head = b.Head
	for k := range f.columns {
		c, bound := &f.columns[k], &f.Bound[k]
		if c.word != "" || !again {
			*bound = c.Bind(f.set, b.Index, b.Head)
		}
		if f.Decimals[k] = '.'; bound.Column >= 0 {
			f.Decimals[k] = b.DecimalOf(bound.Column)
		}
	}
	return true
}

// Text is what stands in a column of a row; scratch holds it where it is in quotes.
func (f *Binding) Text(b *source.Batch, row, column int, scratch *[]byte) []byte {
	if at := f.Bound[column].Column; at >= 0 {
		return b.Text(row, at, scratch)
	}
	return f.Bound[column].Constant
}

// DataColumn is the column of the data that bears a name.
func DataColumn(name string) Column { return Column{Name: name, data: name} }

// DataColumns are the columns of the data that bear some names.
func DataColumns(names []string) []Column {
	columns := make([]Column, len(names))
	for i, name := range names {
		columns[i] = DataColumn(name)
	}
	return columns
}
