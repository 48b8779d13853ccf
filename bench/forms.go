package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"

	"github.com/xuri/excelize/v2"
)

// The size of the forms: months across, and lines with a total.
const (
	formMonths = 12
	formLines  = 40
)

// forms are grids that are added up, against reading the same files as records, and against copying them.
func forms() []work {
	return []work{
		{
			name: "overlay, 2,000 workbooks of 12 × 40 figures", make: makeFormBooks,
			command:   []string{"overlay", "DIR/form-books", "--out", "DIR/out/forms.csv", "--replace"},
			yardstick: "DIR/lastblock tieout DIR/form-books --json || true",
			wanted:    1.3,
		},
		{
			name: "overlay, 10,000 forms as CSV", make: makeFormTexts,
			command:   []string{"overlay", "DIR/form-texts", "--out", "DIR/out/forms.csv", "--replace"},
			yardstick: "find DIR/form-texts -name '*.csv' -print0 | xargs -0 cat > DIR/out/cat.csv",
			wanted:    2,
		},
	}
}

// formFigures are the figures of a form in hundredths, line after line, the last of which is the total.
func formFigures(r *rand.Rand) [formLines][formMonths]int64 {
	var figures [formLines][formMonths]int64
	for line := range formLines - 1 {
		for month := range formMonths {
			figures[line][month] = r.Int64N(10_000_000)
			figures[formLines-1][month] += figures[line][month]
		}
	}
	return figures
}

func formLabel(line int) string {
	if line == formLines-1 {
		return "Total"
	}
	return fmt.Sprintf("Cost line %02d, net", line+1)
}

func makeFormTexts(dir string) error { return makeForms(filepath.Join(dir, "form-texts"), 10_000) }

// makeMoreForms makes so many thousand forms.
func makeMoreForms(dir string, n int) error {
	return makeForms(filepath.Join(dir, fmt.Sprintf("grown-forms-%d", n)), 1000*n)
}

func makeForms(folder string, n int) error {
	return makeFiles(folder, n, func(w *bufio.Writer, r *rand.Rand, _ int) {
		fmt.Fprint(w, "Line")
		for month := range formMonths {
			fmt.Fprintf(w, ",Month %d", month+1)
		}
		fmt.Fprintln(w)
		for line, figures := range formFigures(r) {
			fmt.Fprintf(w, "%q", formLabel(line))
			for _, figure := range figures {
				fmt.Fprintf(w, ",%d.%02d", figure/100, figure%100)
			}
			fmt.Fprintln(w)
		}
	})
}

func makeFormBooks(dir string) error {
	folder := filepath.Join(dir, "form-books")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(7, 19))
		for file := range 2000 {
			if err := writeFormBook(filepath.Join(folder, fmt.Sprintf("branch_%04d.xlsx", file)), r); err != nil {
				return err
			}
		}
		return nil
	})
}

func writeFormBook(path string, r *rand.Rand) error {
	book := excelize.NewFile()
	defer book.Close()
	money := "#,##0.00"
	style, err := book.NewStyle(&excelize.Style{CustomNumFmt: &money})
	if err != nil {
		return err
	}
	set := func(column, row int, value any, style int) error {
		name, err := excelize.CoordinatesToCellName(column, row)
		if err == nil {
			err = book.SetCellValue("Sheet1", name, value)
		}
		if err == nil && style > 0 {
			err = book.SetCellStyle("Sheet1", name, name, style)
		}
		return err
	}
	const header = 4
	if err := set(1, 1, "Budget of the year", 0); err != nil {
		return err
	}
	if err := set(1, header, "Line", 0); err != nil {
		return err
	}
	for month := range formMonths {
		if err := set(month+2, header, fmt.Sprintf("Month %d", month+1), 0); err != nil {
			return err
		}
	}
	for line, figures := range formFigures(r) {
		if err := set(1, header+1+line, formLabel(line), 0); err != nil {
			return err
		}
		for month, figure := range figures {
			if err := set(month+2, header+1+line, float64(figure)/100, style); err != nil {
				return err
			}
		}
	}
	file, err := os.Create(path)
	if err != nil {
		return err
	}
	defer file.Close()
	return book.Write(file)
}
