package rollup

import (
	"cmp"
	"container/heap"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/natural"
)

// Result is a summary. Its groups may be more than memory holds, so they are
// gone through and not listed.
type Result struct {
	Columns  []string       // the group columns by name
	Sums     []string       // the amount columns by name
	Across   []string       // values of the across column, in natural order
	Count    int            // of groups
	Total    Row            // over all groups; it has no Key
	Sources  []tally.Source // what each source gave, by its index
	Findings []finding.Finding
	Proof    proof.Proof

	runs         []run
	across       bool
	acrossColumn string

	// with Options.BySource
	cells []run        // by source and group
	apart map[int]bool // by source: its figures are known by group
	left  map[int]bool // by source: they are known elsewhere
	most  int          // groups that Rows and Sorted may hold
}

// bytesPerRow is roughly what a Row takes.
const bytesPerRow = 256

// TooManyGroupsError says that there are more groups than memory holds at once.
type TooManyGroupsError struct{ Groups, Most int }

func (e *TooManyGroupsError) Error() string {
	return fmt.Sprintf("%d groups cannot be sorted by a column, since only %d fit into the memory given; leave them "+
		"in the order of their keys, take the largest with ⟨top⟩, or raise ⟨memory⟩", e.Groups, e.Most)
}

// Row is one group: its records and its sums.
type Row struct {
	Key     []string
	Records int
	Sums    []amount.Amount
	Cells   [][]amount.Amount // by across value, then by sum; nil where no record is
	Lines   Lines             // of what a source gave
	Cell    string            // of what a form gave, its first cell
}

// Close gives back the files that hold groups beside memory.
func (r *Result) Close() error {
	var first error
	for _, run := range slices.Concat(r.runs, r.cells) {
		if err := run.close(); err != nil && first == nil {
			first = err
		}
	}
	return first
}

// maxAcross is how many values a column may have that is spread across; a
// sheet has no more columns.
const maxAcross = 16_384

// TooManyAcrossError says that a column has too many values to be spread.
type TooManyAcrossError struct{ Most int }

func (e *TooManyAcrossError) Error() string {
	return fmt.Sprintf("the column of ⟨across⟩ has more than %d values, which are too many for columns; use it in ⟨by⟩",
		e.Most)
}

// survey goes through all groups once for the total, the values across and the
// number of groups.
func (r *Result) survey() error {
	total := newAdder(len(r.Sums), 0)
	cells := make(map[string][]amount.Sum)
	last := []byte(nil)
	err := merge(r.runs, r.parts(), len(r.Sums), func(key []byte, of counted) error {
		sums := of.sums
		total.records += of.records
		for i := range sums {
			total.sums[i].Merge(&sums[i])
		}
		if !r.across {
			r.Count++
			return nil
		}
		group, value := splitAcross(key, len(r.Columns))
		if last == nil || string(group) != string(last) {
			r.Count++
			last = append(last[:0:0], group...)
		}
		cell := cells[string(value)]
		if cell == nil {
			if len(cells) == maxAcross {
				return &TooManyAcrossError{maxAcross}
			}
			cell = make([]amount.Sum, len(sums))
			cells[string(value)] = cell
			r.Across = append(r.Across, string(value))
		}
		for i := range sums {
			cell[i].Merge(&sums[i])
		}
		return nil
	})
	if err != nil {
		return err
	}
	slices.SortFunc(r.Across, acrossOrder(r.Across))
	r.Total = total.row(nil)
	for _, value := range r.Across {
		r.Total.Cells = append(r.Total.Cells, amounts(cells[value]))
	}
	return nil
}

// splitAcross splits a key behind its first n texts, and returns them and the one behind them.
func splitAcross(key []byte, n int) (group, value []byte) {
	group, rest := texts.First(key, n)
	value, _ = texts.Take(rest)
	return group, value
}

// parts is how many texts the key of a group has in a run.
func (r *Result) parts() int {
	if r.across {
		return len(r.Columns) + 1
	}
	return len(r.Columns)
}

// Each calls visit for each group in the natural order of keys, and then
// checks that these groups make up the proof. The error is what visit or
// reading groups back returned, or a *proof.FailedError.
func (r *Result) Each(visit func(Row) error) error {
	used := newAdder(len(r.Sums), 0)
	pass := func(row Row) error {
		used.records += row.Records
		addAll(used.sums, row.Sums)
		return visit(row)
	}
	var err error
	if r.across {
		err = r.eachSpread(pass)
	} else {
		err = merge(r.runs, r.parts(), len(r.Sums), func(key []byte, of counted) error {
			return pass(Row{Key: texts.Split(key), Records: of.records, Sums: amounts(of.sums)})
		})
	}
	if err != nil {
		return err
	}
	r.Proof.Used = used.records
	for i := range used.sums {
		r.Proof.Totals[i].Used = used.sums[i].Amount()
	}
	return r.Proof.Check()
}

// eachSpread makes one row of the groups that differ in their last part alone.
func (r *Result) eachSpread(visit func(Row) error) error {
	at := make(map[string]int, len(r.Across))
	for i, value := range r.Across {
		at[value] = i
	}
	var (
		group []byte
		row   *adder
		cells [][]amount.Amount
	)
	finish := func() error {
		if row == nil {
			return nil
		}
		made := row.row(texts.Split(group))
		made.Cells = cells
		return visit(made)
	}
	err := merge(r.runs, r.parts(), len(r.Sums), func(key []byte, of counted) error {
		sums := of.sums
		front, value := splitAcross(key, len(r.Columns))
		if row == nil || string(front) != string(group) {
			if err := finish(); err != nil {
				return err
			}
			group = append(group[:0], front...)
			row, cells = newAdder(len(sums), 0), make([][]amount.Amount, len(r.Across))
		}
		row.records += of.records
		for i := range sums {
			row.sums[i].Merge(&sums[i])
		}
		cells[at[string(value)]] = amounts(sums)
		return nil
	})
	if err != nil {
		return err
	}
	return finish()
}

// Rows returns all groups. The error may also be a *TooManyGroupsError.
func (r *Result) Rows() ([]Row, error) {
	if r.Count > r.most {
		return nil, &TooManyGroupsError{r.Count, r.most}
	}
	rows := make([]Row, 0, r.Count)
	err := r.Each(func(row Row) error {
		rows = append(rows, row)
		return nil
	})
	return rows, err
}

// adder adds rows up, as for a subtotal.
type adder struct {
	records int
	sums    []amount.Sum
	cells   [][]amount.Sum
}

func newAdder(width, across int) *adder {
	return &adder{sums: make([]amount.Sum, width), cells: make([][]amount.Sum, across)}
}

func (a *adder) add(row Row) {
	a.records += row.Records
	addAll(a.sums, row.Sums)
	for i, cell := range row.Cells {
		if cell == nil {
			continue
		}
		if a.cells[i] == nil {
			a.cells[i] = make([]amount.Sum, len(a.sums))
		}
		addAll(a.cells[i], cell)
	}
}

func (a *adder) row(key []string) Row {
	row := Row{Key: key, Records: a.records, Sums: amounts(a.sums)}
	for _, cell := range a.cells {
		row.Cells = append(row.Cells, amounts(cell))
	}
	return row
}

func addAll(sums []amount.Sum, values []amount.Amount) {
	for i := range sums {
		sums[i].Add(values[i])
	}
}

// amounts closes sums; nil stays nil.
func amounts(sums []amount.Sum) []amount.Amount {
	if sums == nil {
		return nil
	}
	values := make([]amount.Amount, len(sums))
	for i := range sums {
		values[i] = sums[i].Amount()
	}
	return values
}

// acrossOrder compares values as calendar months where all of them are month
// names, and in natural order otherwise.
func acrossOrder(values []string) func(a, b string) int {
	for _, v := range values {
		if date.Month(v) == 0 {
			return natural.Compare
		}
	}
	return func(a, b string) int { return cmp.Or(cmp.Compare(date.Month(a), date.Month(b)), cmp.Compare(a, b)) }
}

// Names are what the columns of a summary are called. Those of the data keep their
// names, and where two would be called the same the later one takes the next free form.
// What a summary adds takes names that are then still free.
type Names struct {
	Groups  []string
	Cells   []string // for each value across and each sum
	Sums    []string
	Shares  []string
	Records string
}

// Names names the columns of the result, with shares or without.
func (r *Result) Names(shares bool) Names {
	var names record.Names
	var n Names
	for _, name := range r.Columns {
		n.Groups = append(n.Groups, names.Free(name))
	}
	qualified := func(what, sum string) string {
		if len(r.Sums) == 1 {
			return what
		}
		return what + " " + sum // a sum that is alone needs no name
	}
	if !r.across {
		for _, sum := range r.Sums {
			n.Sums = append(n.Sums, names.Free(sum))
		}
	}
	n.Cells = make([]string, len(r.Across)*len(r.Sums))
	for _, blank := range []bool{false, true} { // how a blank is called is no data
		for i, value := range r.Across {
			if (value == "") != blank {
				continue
			}
			if blank {
				value = "(blank)"
			}
			for k, sum := range r.Sums {
				n.Cells[i*len(r.Sums)+k] = names.Free(qualified(value, sum))
			}
		}
	}
	if r.across {
		for _, sum := range r.Sums {
			if len(r.Across) > 0 {
				sum = qualified("total", sum)
			}
			n.Sums = append(n.Sums, names.Free(sum))
		}
	}
	if shares {
		for _, sum := range r.Sums {
			n.Shares = append(n.Shares, names.Free(qualified("share", sum)))
		}
	}
	n.Records = names.Free(RecordsColumn)
	return n
}

// Order is the order of a summary's rows.
type Order struct {
	Column string // a group column, a sum, or "records"
	Up     bool   // smallest first; group columns are in natural order unless Down
	Down   bool
}

// Knows tells whether the column of an order is one.
func (r *Result) Knows(order Order) bool {
	return slices.Contains(r.Columns, order.Column) || r.bySize(order.Column) != nil
}

// Sorted returns all groups in an order that the result knows: by a sum or the
// records the largest first, by a group column in natural order, unless the
// order says otherwise. Equal rows keep the natural order of their keys. The
// error may also be a *TooManyGroupsError.
func (r *Result) Sorted(order Order) ([]Row, error) {
	rows, err := r.Rows()
	if err == nil {
		r.sort(rows, order)
	}
	return rows, err
}

func (r *Result) sort(rows []Row, order Order) {
	compare := r.bySize(order.Column)
	down := !order.Up
	if i := slices.Index(r.Columns, order.Column); i >= 0 {
		compare = func(a, b Row) int { return natural.Compare(a.Key[i], b.Key[i]) }
		down = order.Down
	}
	slices.SortStableFunc(rows, func(a, b Row) int {
		if down {
			return -compare(a, b)
		}
		return compare(a, b)
	})
}

// RecordsColumn is the name of the count of records.
const RecordsColumn = "records"

// bySize compares by a sum or by the number of records; nil for another name.
func (r *Result) bySize(column string) func(a, b Row) int {
	if i := slices.Index(r.Sums, column); i >= 0 {
		return func(a, b Row) int { return a.Sums[i].Cmp(b.Sums[i]) }
	}
	if column == RecordsColumn {
		return func(a, b Row) int { return cmp.Compare(a.Records, b.Records) }
	}
	return nil
}

// Top returns the n largest groups and all others added up, of how many groups
// that is made. The largest are those by the column of the order, if that is a
// sum, and by the first sum otherwise; they stand in the order,
// or without one the largest first. Of equal groups the one that comes first by
// its key stays.
func (r *Result) Top(n int, order Order) (top []Row, rest Row, others int, err error) {
	by := r.Sums[0]
	if slices.Contains(r.Sums, order.Column) {
		by = order.Column
	}
	compare := r.bySize(by)
	largest := &topHeap{compare: compare}
	left := newAdder(len(r.Sums), len(r.Across))
	number := 0
	err = r.Each(func(row Row) error {
		heap.Push(largest, ranked{row, number})
		number++
		if largest.Len() > n {
			left.add(heap.Pop(largest).(ranked).Row)
			others++
		}
		return nil
	})
	for largest.Len() > 0 {
		top = append(top, heap.Pop(largest).(ranked).Row)
	}
	slices.Reverse(top)
	if order.Column != "" {
		r.sort(top, order)
	}
	return top, left.row(nil), others, err
}

// ranked is a row and where it stands by its key.
type ranked struct {
	Row
	number int
}

// topHeap has the row on top that goes first.
type topHeap struct {
	rows    []ranked
	compare func(a, b Row) int
}

func (h *topHeap) Len() int { return len(h.rows) }
func (h *topHeap) Less(i, j int) bool {
	return cmp.Or(h.compare(h.rows[i].Row, h.rows[j].Row), cmp.Compare(h.rows[j].number, h.rows[i].number)) < 0
}
func (h *topHeap) Swap(i, j int) { h.rows[i], h.rows[j] = h.rows[j], h.rows[i] }
func (h *topHeap) Push(x any)    { h.rows = append(h.rows, x.(ranked)) }
func (h *topHeap) Pop() any {
	last := h.rows[len(h.rows)-1]
	h.rows = h.rows[:len(h.rows)-1]
	return last
}
