package source

import (
	"context"
	"fmt"
	"path/filepath"
	"sync/atomic"
	"testing"

	"lastblock/core/format/sheet"

	"github.com/xuri/excelize/v2"
)

// countingVisitor counts the records of each source.
type countingVisitor struct{ records []atomic.Int64 }

func (v *countingVisitor) Batch(b *Batch) error {
	v.records[b.Index].Add(int64(b.Batch.Rows))
	return nil
}

func (v *countingVisitor) Flush(context.Context, int) error { return nil }

// Sheets that share their texts are read from one book, so that the texts are read once; and all books are closed.
func TestSheetsShareABook(t *testing.T) {
	const files, sheets, rows = 3, 20, 30
	dir := t.TempDir()
	for file := range files {
		book := excelize.NewFile()
		for i := range sheets {
			name := fmt.Sprintf("S%d", i+1)
			if _, err := book.NewSheet(name); err != nil {
				t.Fatal(err)
			}
			for row := range rows + 1 {
				texts := []string{"text", fmt.Sprint("more ", row)}
				if err := book.SetSheetRow(name, fmt.Sprintf("A%d", row+1), &texts); err != nil {
					t.Fatal(err)
				}
			}
		}
		if err := book.SaveAs(filepath.Join(dir, fmt.Sprintf("%d.xlsx", file))); err != nil {
			t.Fatal(err)
		}
	}
	var opened, closed atomic.Int64
	open := workbookFormat.book
	defer func() { workbookFormat.book = open }()
	workbookFormat.book = func(d *document, memory int64, limit int) (sheet.Book, error) {
		opened.Add(1)
		book, err := open(d, memory, limit)
		return &closingBook{book, &closed}, err
	}
	set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 2, Manner: &Manner{Choice: Choice{Sheet: "*"}}})
	if err != nil || len(set.Sources) != files*sheets {
		t.Fatalf("%d sources, %v", len(set.Sources), err)
	}
	visitor := &countingVisitor{make([]atomic.Int64, len(set.Sources))}
	if err := set.Scan(t.Context(), Reading{Jobs: 2, Memory: 1 << 28}, func() Visitor { return visitor }); err != nil {
		t.Fatal(err)
	}
	for i := range visitor.records {
		if n := visitor.records[i].Load(); n != rows && n != rows+1 { // a header of words may be a record
			t.Errorf("%s has %d records", set.Sources[i].Name, n)
		}
	}
	check := func(how string) {
		t.Helper()
		const jobs = 2 // of which each may have begun within a book
		if n := opened.Swap(0); n < files || n > files+jobs-1 || closed.Swap(0) != n {
			t.Errorf("of %d books %d were opened, by %s; or not all closed", files, n, how)
		}
	}
	check("records")
	var cells atomic.Int64
	err = set.ReadCells(t.Context(), Reading{Jobs: 2, Memory: 1 << 28}, func() func(c *Cells) error {
		return func(c *Cells) error {
			for i := range c.Rows {
				cells.Add(int64(len(c.Rows[i].Cells)))
			}
			return nil
		}
	})
	if want := int64(files * sheets * (rows + 1) * 2); err != nil || cells.Load() != want {
		t.Errorf("%d cells, want %d; %v", cells.Load(), want, err)
	}
	check("cells")
}

type closingBook struct {
	sheet.Book
	closed *atomic.Int64
}

func (b *closingBook) Close() {
	b.closed.Add(1)
	b.Book.Close()
}
