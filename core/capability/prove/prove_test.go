package prove

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"

	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

func proveFiles(t *testing.T, reading source.Reading, options Options, left, right map[string]string) *Result {
	t.Helper()
	r, err := Run(context.Background(), sourcetest.Set(t, "", left), sourcetest.Set(t, "", right), reading, options)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestWhatIsEqual(t *testing.T) {
	for _, c := range []struct {
		rule                string
		left, right         string
		equal, exactlyEqual bool
	}{
		{"the same", "a,b\n1,x\n2,y\n", "a,b\n1,x\n2,y\n", true, true},
		{"another order of records", "a,b\n1,x\n2,y\n", "a,b\n2,y\n1,x\n", true, true},
		{"another order of columns", "a,b\n1,x\n2,y\n", "b,a\nx,1\ny,2\n", true, true},
		{"numbers in another dress", "a,b\n1234.50,x\n-3,y\n", "a;b\n1.234,5;x\n(3,00);y\n", true, false},
		{"a large number in another dress", "a,b\n12345678901234567890123.10,x\n",
			"a,b\n\"12,345,678,901,234,567,890,123.1\",x\n", true, false},
		{"nineteen digits", "a,b\n1000000000000000000,x\n", "a,b\n\"1,000,000,000,000,000,000.0\",x\n", true, false},
		{"dates in another dress", "a,b\n2031-01-31,x\n", "a,b\n31 Jan 2031,x\n", true, false},
		{"digits with a leading zero are a code", "a,b\n0100,x\n", "a,b\n100,x\n", false, false},
		{"zero with decimals is none", "a,b\n0.50,x\n", "a,b\n.5,x\n", true, false},
		{"times of a day differ", "a,b\n2031-01-31 09:00,x\n", "a,b\n2031-01-31 10:00,x\n", false, false},
		{"texts differ by case", "a,b\n1,x\n", "a,b\n1,X\n", false, false},
		{"a record more often", "a,b\n1,x\n1,x\n", "a,b\n1,x\n", false, false},
		{"the same number, another record twice", "a,b\n1,x\n1,x\n2,y\n", "a,b\n1,x\n2,y\n2,y\n", false, false},
		{"values that have changed their records", "a,b\n1,x\n2,y\n", "a,b\n1,y\n2,x\n", false, false},
		{"values that have changed their columns", "a,b\n1,2\n", "a,b\n2,1\n", false, false},
		{"a digit more", "a,b\n1.10,x\n", "a,b\n1.101,x\n", false, false},
		{"blank is not zero", "a,b\n,x\n", "a,b\n0,x\n", false, false},
		{"a column more, though it is blank", "a,b\n1,x\n", "a,b,c\n1,x,\n", false, false},
		{"the same broken line", "a,b\n1,x\n1,x,x\n", "a,b\n1,x,x\n1,x\n", true, true},
		{"another broken line", "a,b\n1,x\n1,x,x\n", "a,b\n1,x\n1,x,y\n", false, false},
		{"nothing at all", "a,b\n", "a,b\n", true, true},
	} {
		t.Run(c.rule, func(t *testing.T) {
			for exact, want := range map[bool]bool{false: c.equal, true: c.exactlyEqual} {
				r := proveFiles(t, sourcetest.Reading, Options{Exact: exact, First: 3},
					map[string]string{"l.csv": c.left}, map[string]string{"r.csv": c.right})
				if r.Equal != want {
					t.Errorf("exact %v: equal is %v", exact, r.Equal)
				}
				if only := r.Left.Only + r.Right.Only; r.Equal && only > 0 || !r.Equal && only == 0 &&
					len(r.Left.OnlyColumns)+len(r.Right.OnlyColumns) == 0 {
					t.Errorf("exact %v: equal is %v, and %d records are on one side only", exact, r.Equal, only)
				}
			}
		})
	}
}

func TestFirstDifferences(t *testing.T) {
	r := proveFiles(t, sourcetest.Reading, Options{First: 2},
		map[string]string{"a.csv": "k,v\n1,x\n2,y\n3,z\n", "b.csv": "k,v\n4,x\n4,x\n5,gone\n"},
		map[string]string{"all.csv": "v,k\nx,4\nz,3\ny,2.0\nx,1\nnew,9\nbad,line,here\n"})
	got := fmt.Sprint(r.Equal, r.Left.Rows, r.Right.Rows, r.Left.Only, r.Right.Only, r.Left.First, r.Right.First)
	want := "false 6 6 2 2 [{1 3 [4 x]} {1 4 [5 gone]}] [{0 6 [9 new]} {0 7 [bad,line,here]}]"
	if got != want {
		t.Errorf("it says %s\nwant    %s", got, want)
	}
}

// The oracle is a map of all records. With little memory, the places of the
// records go through temporary files.
func TestAgainstAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for round := range 6 {
		counts := make(map[string]int) // how much more often on the left
		var sides [2]strings.Builder
		for i := range sides {
			sides[i].WriteString("number,name,amount\n")
		}
		for range 20_000 {
			record := fmt.Sprintf("%d,name %d,%d.%02d\n", r.IntN(300), r.IntN(40), r.IntN(10), r.IntN(4)*25)
			sides[0].WriteString(record)
			counts[record]++
			if r.IntN(1000) > round*2 { // now and then one is lost
				sides[1].WriteString(record)
				counts[record]--
			}
			if round > 3 && r.IntN(2000) == 0 { // or comes from nowhere
				sides[1].WriteString(record)
				counts[record]--
			}
		}
		left, right := 0, 0
		for _, n := range counts {
			left += max(0, n)
			right += max(0, -n)
		}
		result := proveFiles(t, source.Reading{Jobs: 3, Memory: 1 << 20}, Options{First: 5},
			map[string]string{"l.csv": sides[0].String()}, map[string]string{"r.csv": sides[1].String()})
		if result.Equal != (left+right == 0) || result.Left.Only != left || result.Right.Only != right ||
			len(result.Left.First) != min(left, 5) {
			t.Errorf("round %d: %d and %d records are on one side only, want %d and %d", round, result.Left.Only,
				result.Right.Only, left, right)
		}
	}
}

func TestSidesAreDescribed(t *testing.T) {
	r := proveFiles(t, sourcetest.Reading, Options{}, map[string]string{"a.csv": "k,v\nA,1.50\nB,2.50\n"},
		map[string]string{"b.csv": "k,v\nA,1.50\nB,2.50\nC,\n"})
	left, _ := r.Left.Total("v")
	right, _ := r.Right.Total("v")
	if left.String() != "4.00" || right.String() != "4.00" || r.Left.Columns[1].Blank != 0 ||
		r.Right.Columns[1].Blank != 1 || r.Right.Columns[0].Count != 3 {
		t.Errorf("the sides are %+v and %+v", r.Left, r.Right)
	}
	if _, ok := r.Left.Total("k"); ok {
		t.Error("a column of texts has a total")
	}
}

func BenchmarkFingerprint(b *testing.B) {
	set := sourcetest.Set(b, "", map[string]string{"a.csv": "k,v,d\n" +
		strings.Repeat("D1,1234.50,2031-01-31\nD2,0.07,2031-02-01\n", 5_000)})
	for b.Loop() {
		if _, err := Run(context.Background(), set, set, source.Reading{Jobs: 1, Memory: 1 << 26},
			Options{}); err != nil {
			b.Fatal(err)
		}
	}
}

// A side that shares its reading with another part of a run comes to what it comes to alone.
func TestSharedReadings(t *testing.T) {
	left := sourcetest.Set(t, "", map[string]string{"a.csv": "k,v\n1,x\n2,y\n3,z\n"})
	right := sourcetest.Set(t, "", map[string]string{"b.csv": "v,k\ny,2.0\nx,1\nnew,9\n"})
	want, err := Run(t.Context(), left, right, sourcetest.Reading, Options{First: 3})
	if err != nil {
		t.Fatal(err)
	}
	j, err := Prepare(t.Context(), left, right, sourcetest.Reading, Options{First: 3})
	if err != nil {
		t.Fatal(err)
	}
	reading := sourcetest.Reading
	reading.Partial = true
	for set, member := range map[*source.Set]source.Member{left: j.Left(), right: j.Right()} {
		if err := set.ScanFor(t.Context(), reading, member, &counting{}); err != nil {
			t.Fatal(err)
		}
	}
	got, err := j.Finish(t.Context())
	if err != nil || fmt.Sprintf("%+v", got) != fmt.Sprintf("%+v", want) {
		t.Errorf("shared it is %+v, %v\nalone it is %+v", got, err, want)
	}
	if want.Left.Only != 1 || want.Right.Only != 1 {
		t.Errorf("%d and %d records are on one side only", want.Left.Only, want.Right.Only)
	}
}

// counting counts what it is shown; it is for readings of one goroutine at a time.
type counting struct {
	mutex sync.Mutex
	read  int
}

func (c *counting) Visitor() source.Visitor { return c }
func (c *counting) Read() int               { return c.read }
func (c *counting) Batch(b *source.Batch) error {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.read += b.Arrived
	return nil
}
func (c *counting) Flush(context.Context, int) error { return nil }
