package month

import (
	"errors"

	"lastblock/core/capability/split"
	"lastblock/core/option"
)

// Split cuts a file into parts.
type Split struct {
	Reading
	Writing
	Rows   int
	Parts  int
	By     string
	OutDir string
	Totals []string
}

// NewSplit is one with what is usual.
func NewSplit() *Split { return &Split{Reading: newReading()} }

func (t *Split) Name() string { return "split" }

func (t *Split) Sources() *Reading { return &t.Reading }

func (t *Split) Options() option.List {
	return option.List{
		{Word: "rows", Value: &t.Rows, Least: 1, Meaning: "how many rows a part has"},
		{Word: "parts", Value: &t.Parts, Least: 1, Meaning: "into how many parts, as equal as can be"},
		{Word: "by", Value: &t.By, Columns: option.DataColumns, Meaning: "a column: one part for each of its values"},
		{Word: "out-dir", Value: &t.OutDir, File: option.Written,
			Meaning: "the folder for the parts; it is made if need be"},
		{Word: "total", Value: &t.Totals, Columns: option.DataColumns,
			Meaning: "columns to add up on the control sheet (those that hold amounts)"},
		t.named(), t.replace(),
	}
}

// Ask reads what is asked for.
func (t *Split) Ask() (split.Options, error) {
	ways := 0
	for _, asked := range []bool{t.Rows > 0, t.Parts > 0, t.By != ""} {
		if asked {
			ways++
		}
	}
	o := split.Options{Rows: t.Rows, Parts: t.Parts, By: t.By, Totals: t.Totals}
	switch {
	case ways != 1:
		return o, errors.New("how is the file to be cut? Say one of ⟨rows⟩ N, ⟨parts⟩ N and ⟨by⟩ COLUMN")
	case t.OutDir == "":
		return o, option.Errorf("out-dir", "where do the parts go? Name a folder")
	}
	return o, nil
}
