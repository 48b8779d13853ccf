package rollup

import (
	"cmp"
	"slices"

	"lastblock/core/amount"
	"lastblock/core/date"
	"lastblock/core/source"
)

// fill makes the rows of all groups and closes the proof. With an across
// column, the groups that differ only in it become the cells of one row.
func (r *Result) fill(all *table, across bool) error {
	rows := make([]Row, all.len())
	used := make([]amount.Sum, len(r.Sums))
	for g := range rows {
		rows[g] = Row{Key: splitKey(all.key(g)), Records: all.counts[g], Sums: make([]amount.Amount, len(r.Sums))}
		for k := range used {
			sum := all.of(g)[k].Amount()
			rows[g].Sums[k] = sum
			used[k].Add(sum)
		}
		r.Proof.Used += rows[g].Records
	}
	for k := range used {
		r.Proof.Totals[k].Used = used[k].Amount()
	}
	slices.SortFunc(rows, func(a, b Row) int { return compareKeys(a.Key, b.Key) })
	r.Groups = rows
	if across {
		r.spread(len(r.Columns))
	}
	r.Total = total(r.Groups, len(r.Sums), len(r.Across))
	return r.Proof.Check()
}

// spread turns the last part of each key into cells.
func (r *Result) spread(by int) {
	at := make(map[string]int)
	for _, row := range r.Groups {
		if _, ok := at[row.Key[by]]; !ok {
			at[row.Key[by]] = 0
			r.Across = append(r.Across, row.Key[by])
		}
	}
	slices.SortFunc(r.Across, natural(r.Across))
	for i, value := range r.Across {
		at[value] = i
	}
	var spread []Row
	for i := 0; i < len(r.Groups); {
		row := Row{Key: r.Groups[i].Key[:by], Cells: make([][]amount.Amount, len(r.Across))}
		sums := make([]amount.Sum, len(r.Sums))
		for ; i < len(r.Groups) && slices.Equal(r.Groups[i].Key[:by], row.Key); i++ {
			row.Records += r.Groups[i].Records
			row.Cells[at[r.Groups[i].Key[by]]] = r.Groups[i].Sums
			addAll(sums, r.Groups[i].Sums)
		}
		row.Sums = amounts(sums)
		spread = append(spread, row)
	}
	r.Groups = spread
}

func compareKeys(a, b []string) int {
	for i := range a {
		if c := source.Natural(a[i], b[i]); c != 0 {
			return c
		}
	}
	return 0
}

// natural compares values as calendar months where all of them are month
// names, and in natural order otherwise.
func natural(values []string) func(a, b string) int {
	for _, v := range values {
		if date.Month(v) == 0 {
			return source.Natural
		}
	}
	return func(a, b string) int { return cmp.Or(cmp.Compare(date.Month(a), date.Month(b)), cmp.Compare(a, b)) }
}

// total adds rows up into one without a key.
func total(rows []Row, width, across int) Row {
	sums := make([]amount.Sum, width)
	cells := make([][]amount.Sum, across)
	row := Row{}
	for _, r := range rows {
		row.Records += r.Records
		addAll(sums, r.Sums)
		for i, cell := range r.Cells {
			if cell == nil {
				continue
			}
			if cells[i] == nil {
				cells[i] = make([]amount.Sum, width)
			}
			addAll(cells[i], cell)
		}
	}
	row.Sums = amounts(sums)
	for _, cell := range cells {
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

// Order is the order of a summary's rows.
type Order struct {
	Column string // a group column, a sum, "records", or "" for the natural order of keys
	Up     bool   // smallest first; group columns are always in natural order unless Down
	Down   bool
}

// Sort puts the groups in order: by a sum or the records the largest first, by
// a group column in natural order, unless the order says otherwise. Equal rows
// keep the natural order of their keys. ok is false for an unknown column.
func (r *Result) Sort(order Order) (ok bool) {
	var compare func(a, b Row) int
	if i := slices.Index(r.Columns, order.Column); i >= 0 {
		compare = func(a, b Row) int { return source.Natural(a.Key[i], b.Key[i]) }
		if order.Down {
			compare = reverse(compare)
		}
	} else if compare = r.bySize(order.Column); compare == nil {
		return false
	} else if !order.Up {
		compare = reverse(compare)
	}
	slices.SortStableFunc(r.Groups, compare)
	return true
}

func reverse(compare func(a, b Row) int) func(a, b Row) int {
	return func(a, b Row) int { return -compare(a, b) }
}

// bySize compares by a sum or by the number of records.
func (r *Result) bySize(column string) func(a, b Row) int {
	if i := slices.Index(r.Sums, column); i >= 0 {
		return func(a, b Row) int { return a.Sums[i].Cmp(b.Sums[i]) }
	}
	if column == RecordsColumn {
		return func(a, b Row) int { return cmp.Compare(a.Records, b.Records) }
	}
	return nil
}

// RecordsColumn is the name of the count of records.
const RecordsColumn = "records"

// Top returns the n groups with the largest first sum, the largest first, and
// all others as one row without a key, of how many groups it is made.
func (r *Result) Top(n int) (top []Row, rest Row, others int) {
	rows := slices.Clone(r.Groups)
	slices.SortStableFunc(rows, reverse(r.bySize(append(slices.Clone(r.Sums), RecordsColumn)[0])))
	n = min(n, len(rows))
	return rows[:n], total(rows[n:], len(r.Sums), len(r.Across)), len(rows) - n
}

// Subtotal adds up neighbouring rows that agree in their first level group
// columns.
func (r *Result) Subtotal(rows []Row, level int) Row {
	row := total(rows, len(r.Sums), len(r.Across))
	row.Key = rows[0].Key[:level]
	return row
}
