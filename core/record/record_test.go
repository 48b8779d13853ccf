package record

import (
	"fmt"
	"slices"
	"testing"
)

func TestFindByNameAndPosition(t *testing.T) {
	layout := NewLayout([]string{"a", "#3", "c"})
	for column, want := range map[string]int{"a": 0, "c": 2, "#1": 0, "#2": 1, "#3": 1, "#4": -1, "#0": -1, "#": -1,
		"b": -1, "#x": -1, "#-1": -1} {
		got, ok := layout.Find(column)
		if !ok {
			got = -1
		}
		if got != want {
			t.Errorf("%s is column %d, want %d", column, got, want)
		}
	}
}

func TestNamesAreFree(t *testing.T) {
	var names Names
	for _, taken := range []string{"source", "source_2", "entity"} {
		names.Take(taken)
	}
	var got []string
	for _, name := range []string{"source", "entity", "period", "period", "period", "period_2", "source"} {
		got = append(got, names.Free(name))
	}
	want := []string{"source_3", "entity_2", "period", "period_2", "period_3", "period_2_2", "source_4"}
	if !slices.Equal(got, want) {
		t.Errorf("names are %q, want %q", got, want)
	}
}

// The batch of the package's own drawing, and one with quotes.
func TestBatch(t *testing.T) {
	data := []byte("A1,5.00\n\"A\"\"2\",7.50\n")
	b := Batch{Data: data, Width: 2, Rows: 2, Quoted: true, FirstLine: 2,
		Bounds: []uint32{^uint32(0), 2, 7, 7, 14, 19, 19}}
	var scratch []byte
	for _, c := range []struct {
		row, column int
		field, text string
	}{{0, 0, "A1", "A1"}, {0, 1, "5.00", "5.00"}, {1, 0, `"A""2"`, `A"2`}, {1, 1, "7.50", "7.50"}} {
		if field, text := string(b.Field(c.row, c.column)),
			string(b.Text(c.row, c.column, &scratch)); field != c.field || text != c.text {
			t.Errorf("row %d column %d is %q and says %q", c.row, c.column, field, text)
		}
	}
	if got := string(b.Raw(1)); got != `"A""2",7.50` {
		t.Errorf("raw record is %q", got)
	}
	if b.Line(1) != 3 {
		t.Errorf("row 1 starts on line %d", b.Line(1))
	}
	b.Lines = []int{2, 9}
	b.Refused = []Refusal{{}}
	if b.Line(1) != 9 || b.Read() != 3 {
		t.Errorf("row 1 starts on line %d, %d records", b.Line(1), b.Read())
	}
	b.Quoted = false
	if got := string(b.Text(1, 0, &scratch)); got != `"A""2"` {
		t.Errorf("without quotes a field says %q", got)
	}
}

// Records that share bounds are read like any others, and can be taken out like any others.
func TestChainedBatch(t *testing.T) {
	made := func() *Batch {
		return &Batch{Data: []byte("A1,5.00\nA2,7.50\nA3,1\n"), Width: 2, Rows: 3, FirstLine: 2, Chained: true,
			Bounds: []uint32{^uint32(0), 2, 7, 10, 15, 18, 20}}
	}
	records := func(b *Batch) (all []string) {
		for row := range b.Rows {
			bounds := b.RecordBounds(row)
			from, to := b.Extent(row, 1)
			all = append(all, fmt.Sprint(string(b.Raw(row)), " ", string(b.Field(row, 0)), " ", string(b.Data[from:to]),
				" ", b.Line(row), " ", bounds[2]-(bounds[0]+1)))
		}
		return all
	}
	first, second, third := "A1,5.00 A1 5.00 2 7", "A2,7.50 A2 7.50 3 7", "A3,1 A3 1 4 4"
	if got := records(made()); !slices.Equal(got, []string{first, second, third}) {
		t.Errorf("records are %q", got)
	}
	b := made()
	b.Unchain()
	if got := records(b); !slices.Equal(got, []string{first, second, third}) || b.Chained {
		t.Errorf("records with bounds of their own are %q", got)
	}
	b = made()
	b.Without(1)
	if got := records(b); !slices.Equal(got, []string{first, third}) {
		t.Errorf("without the second one records are %q", got)
	}
	b = made()
	b.Split([]bool{false, true, false})
	if got, dropped := records(b), records(b.Dropped); !slices.Equal(got, []string{second}) ||
		!slices.Equal(dropped, []string{first, third}) {
		t.Errorf("split records are %q and %q", got, dropped)
	}
}
