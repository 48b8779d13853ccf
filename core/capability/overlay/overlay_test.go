package overlay

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// plan is a form with figures that are known.
type planted struct {
	top, left     int // lines above the header, and columns before the labels
	rows, columns []string
	figures       map[string]map[string][]int64 // by row, column and branch, in cents; -1 for a blank cell
}

// plant makes up a form for some branches.
func plant(random *rand.Rand, branches int) *planted {
	p := &planted{top: random.IntN(5), left: random.IntN(3), figures: make(map[string]map[string][]int64)}
	for i := range 3 + random.IntN(10) {
		p.rows = append(p.rows, fmt.Sprintf("Account %c", 'A'+i))
	}
	for i := range 2 + random.IntN(6) {
		p.columns = append(p.columns, fmt.Sprintf("Month %c", 'A'+i))
	}
	for _, row := range p.rows {
		p.figures[row] = make(map[string][]int64)
		for _, column := range p.columns {
			for range branches {
				value := random.Int64N(1_000_000) + 1
				if random.IntN(10) == 0 {
					value = -1
				}
				p.figures[row][column] = append(p.figures[row][column], value)
			}
		}
	}
	// The first and the last line are filled in by the first branch, so that the block is seen.
	for _, row := range []string{p.rows[0], p.rows[len(p.rows)-1]} {
		for _, column := range p.columns {
			p.figures[row][column][0] = 100 + random.Int64N(1000)
			p.figures[row][column][1] = 100 + random.Int64N(1000)
		}
	}
	return p
}

// csv writes the form of a branch, its lines in some order.
func (p *planted) csv(branch int, rows, columns []string, delimiter string, decimal string) string {
	var b strings.Builder
	for i := range p.top {
		fmt.Fprintf(&b, "Budget%s\n", strings.Repeat(delimiter, i%2))
	}
	line := func(cells ...string) {
		b.WriteString(strings.Repeat(delimiter, p.left) + strings.Join(cells, delimiter) + "\n")
	}
	line(append([]string{"Line"}, columns...)...)
	for _, row := range rows {
		cells := []string{row}
		for _, column := range columns {
			text := ""
			if v := p.figures[row][column][branch]; v >= 0 {
				text = fmt.Sprintf("%d%s%02d", v/100, decimal, v%100)
			}
			cells = append(cells, text)
		}
		line(cells...)
	}
	return b.String()
}

// sum is what all branches come to, as a text; "" where none has anything.
func (p *planted) sum(row, column string, branches []int) string {
	total, any := int64(0), false
	for _, b := range branches {
		if v := p.figures[row][column][b]; v >= 0 {
			total, any = total+v, true
		}
	}
	if !any {
		return ""
	}
	return fmt.Sprintf("%d.%02d", total/100, total%100)
}

func overlayOf(t *testing.T, set *source.Set, o Options) *Result {
	t.Helper()
	result, err := Run(t.Context(), set, sourcetest.Reading, o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { result.Close() })
	return result
}

// check holds a result against what was planted.
func (p *planted) check(t *testing.T, r *Result, branches []int) {
	t.Helper()
	if len(r.Blocks) != 1 {
		t.Fatalf("there are %d blocks", len(r.Blocks))
	}
	b := &r.Blocks[0]
	if len(b.Rows) != len(p.rows) || len(b.Columns) != len(p.columns) {
		t.Fatalf("the result has %d rows and %d columns, want %d and %d", len(b.Rows), len(b.Columns), len(p.rows),
			len(p.columns))
	}
	for i := range b.Rows {
		for k := range b.Columns {
			row, column := b.Rows[i].Name(), b.Columns[k].Name()
			got := ""
			if f := b.At(i, k); f.From > 0 {
				got = f.Amount.String()
			}
			if want := p.sum(row, column, branches); got != want {
				t.Errorf("%s of %s is %q, want %q", row, column, got, want)
			}
		}
	}
}

func kinds(r *Result) string {
	var all []string
	for _, f := range r.Findings {
		if f.Kind != finding.FilledDiffers { // of which the blanks of a random form may say anything
			all = append(all, string(f.Kind))
		}
	}
	return strings.Join(slices.Compact(all), " ")
}

const branches = 5

var all = []int{0, 1, 2, 3, 4}

func TestFormsOfOneLayoutAreAddedByPosition(t *testing.T) {
	for seed := range uint64(40) {
		random := rand.New(rand.NewPCG(seed, 19))
		p := plant(random, branches)
		files := make(map[string]string)
		for b := range branches {
			delimiter, decimal := ";", ","
			if b%2 == 1 {
				delimiter, decimal = "\t", "."
			}
			files[fmt.Sprintf("branch%d.csv", b)] = p.csv(b, p.rows, p.columns, delimiter, decimal)
		}
		set := sourcetest.Set(t, "", files)
		area := sheet.Area{FirstRow: p.top + 2, LastRow: p.top + 1 + len(p.rows), FirstColumn: p.left + 2,
			LastColumn: p.left + 1 + len(p.columns)}
		found, said := overlayOf(t, set, Options{}), overlayOf(t, set, Options{Areas: []sheet.Area{area}})
		if found.Where != addressOf(&area) || !found.Found || said.Found {
			t.Errorf("seed %d: figures are found in %s, want %s", seed, found.Where, addressOf(&area))
		}
		for _, r := range []*Result{found, said} {
			p.check(t, r, all)
			if got := kinds(r); got != "" {
				t.Errorf("seed %d: findings are %s: %+v", seed, got, r.Findings)
			}
		}
	}
}

func TestFormsOfOtherOrderAreAddedByLabel(t *testing.T) {
	for seed := range uint64(40) {
		random := rand.New(rand.NewPCG(seed, 20))
		p := plant(random, branches)
		files := make(map[string]string)
		for b := range branches {
			rows, columns := slices.Clone(p.rows), slices.Clone(p.columns)
			if b > 0 {
				random.Shuffle(len(rows), func(i, k int) { rows[i], rows[k] = rows[k], rows[i] })
				random.Shuffle(len(columns), func(i, k int) { columns[i], columns[k] = columns[k], columns[i] })
			}
			files[fmt.Sprintf("branch%d.csv", b)] = p.csv(b, rows, columns, ";", ".")
		}
		labels := &Labels{Columns: []int{p.left + 1}, Rows: []int{p.top + 1}}
		r := overlayOf(t, sourcetest.Set(t, "", files), Options{Labels: labels})
		p.check(t, r, all)
		var order []string
		for i := range r.Blocks[0].Rows {
			order = append(order, r.Blocks[0].Rows[i].Name())
		}
		if !slices.Equal(order, p.rows) {
			t.Errorf("seed %d: the rows are %q, and in the first form %q", seed, order, p.rows)
		}
		if got := kinds(r); got != "" {
			t.Errorf("seed %d: findings are %s: %+v", seed, got, r.Findings)
		}
	}
}

// The classic mistake: a branch has put a row in, so that all figures below stand one row lower. They are never added
// to the line above.
func TestAShiftedRowIsNeverAdded(t *testing.T) {
	for seed := range uint64(60) {
		random := rand.New(rand.NewPCG(seed, 21))
		p := plant(random, branches)
		from := random.IntN(len(p.rows)) // from which on the rows of the last branch stand lower
		files := make(map[string]string)
		for b := range branches {
			text := p.csv(b, p.rows, p.columns, ";", ".")
			if b == branches-1 {
				lines := strings.SplitAfter(text, "\n")
				at := p.top + 1 + from
				put := strings.Repeat(";", p.left) + "Extra" + strings.Repeat(";7.77", len(p.columns)) + "\n"
				text = strings.Join(slices.Insert(lines, at, put), "")
			}
			files[fmt.Sprintf("branch%d.csv", b)] = text
		}
		set := sourcetest.Set(t, "", files)
		r := overlayOf(t, set, Options{})
		if got := kinds(r); !strings.Contains(got, string(finding.LabelDiffers)) {
			t.Fatalf("seed %d: nothing is said of a row that was put in before row %d: %s", seed, from, got)
		}
		b := &r.Blocks[0]
		for i := range b.Rows {
			for k := range b.Columns {
				row, column := b.Rows[i].Name(), b.Columns[k].Name()
				counted := all
				if i >= from {
					counted = all[:4]
				}
				got := ""
				if f := b.At(i, k); f.From > 0 {
					got = f.Amount.String()
				}
				if want := p.sum(row, column, counted); i < len(p.rows) && got != want {
					t.Errorf("seed %d: %s of %s is %q, want %q", seed, row, column, got, want)
				}
			}
		}
		p.check(t, overlayOf(t, set, Options{IsAccepted: nil, Labels: &Labels{Columns: []int{p.left + 1},
			Rows: []int{p.top + 1}}}).without(t, "Extra"), all)
	}
}

// without is a result without a row.
func (r *Result) without(t *testing.T, label string) *Result {
	t.Helper()
	b := &r.Blocks[0]
	at := slices.IndexFunc(b.Rows, func(l Line) bool { return l.Name() == label })
	if at < 0 {
		t.Fatalf("there is no row %q", label)
	}
	width := len(b.Columns)
	b.Rows, b.Figures = slices.Delete(b.Rows, at, at+1), slices.Delete(b.Figures, at*width, (at+1)*width)
	return r
}
