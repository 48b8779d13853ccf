package ods

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"

	"lastblock/core/format/sheet"
)

// mostParked is how many rows that were closed a book keeps.
const mostParked = 8

// Rows opens a sheet. Where rows of a sheet before it were closed, they go on from where they
// stand. Several goroutines may read sheets of one book, each its own rows.
func (b *Book) Rows(name string) (sheet.Rows, error) {
	if r := b.unpark(name); r != nil {
		found, err := r.goTo(name)
		if err != nil {
			return nil, err
		}
		if found {
			return r, nil
		}
	}
	part, err := b.openContent()
	if err != nil {
		return nil, err
	}
	r := &rows{book: b, part: part, scanner: b.newScanner(part)}
	if r.styles, err = b.commonStyles(); err != nil {
		part.Close()
		return nil, err
	}
	found, err := r.goTo(name)
	if err == nil && !found {
		err = fmt.Errorf("there is no sheet %q", name)
	}
	if err != nil {
		return nil, err
	}
	return r, nil
}

// goTo goes on to a sheet. On the way to the first one stand the styles, of which one may say
// that the sheet is hidden. Where it is not found, the rows are closed.
func (r *rows) goTo(name string) (found bool, err error) {
	for {
		kind, err := r.scanner.Next()
		if err != nil {
			r.part.Close()
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return false, err
		}
		r.styles.read(kind, r.scanner)
		if kind != sheet.Start || string(r.scanner.Name()) != "table" {
			continue
		}
		of := string(r.scanner.Attribute("name"))
		r.book.see(r.sheets, of)
		if r.sheets++; of != name {
			continue
		}
		if r.styles.hidden[string(r.scanner.Attribute("style-name"))] {
			r.hidden = append(r.hidden, "the sheet itself")
		}
		return true, nil
	}
}

// see notes which sheet stands at a place, from 0.
func (b *Book) see(at int, name string) {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	if at == len(b.seen) {
		b.seen = append(b.seen, name)
	}
}

// park keeps rows that are closed. Of too many, those go that few sheets stand behind.
func (b *Book) park(r *rows) {
	next := &rows{book: b, part: r.part, scanner: r.scanner, styles: r.styles, sheets: r.sheets, formats: r.formats}
	b.mutex.Lock()
	defer b.mutex.Unlock()
	at, _ := slices.BinarySearchFunc(b.parked, next, compareSheets)
	b.parked = slices.Insert(b.parked, at, next)
	if last := len(b.parked) - 1; last == mostParked {
		b.parked[last].part.Close()
		b.parked = b.parked[:last]
	}
}

func compareSheets(a, b *rows) int { return cmp.Compare(a.sheets, b.sheets) }

// unpark returns the rows that are the nearest to a sheet behind them, nil where there are none.
func (b *Book) unpark(name string) *rows {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	at := slices.Index(b.seen, name)
	if at < 0 {
		at = len(b.seen) // behind all that were seen
	}
	i, _ := slices.BinarySearchFunc(b.parked, &rows{sheets: at + 1}, compareSheets)
	if i == 0 {
		return nil
	}
	r := b.parked[i-1]
	b.parked = slices.Delete(b.parked, i-1, i)
	return r
}
