package cli

import (
	"lastblock/core/finding/suspense"
	"lastblock/show"

	"github.com/spf13/cobra"
)

// writing are the flags of commands that write files.
type writing struct {
	out      string
	suspense string
	replace  bool
	anyway   bool
	shield   bool
}

// addOut adds the flags of a result that a finding may stop.
func (w *writing) addOut(cmd *cobra.Command) {
	w.addResult(cmd)
	cmd.Flags().BoolVar(&w.anyway, "anyway", false, "write the result although there is a \"stop\" finding")
}

// addResult adds the flags of a result.
func (w *writing) addResult(cmd *cobra.Command) {
	cmd.Flags().StringVar(&w.out, "out", "", "write the result to a file: .csv, .tsv, .json, .jsonl (each also with .gz or .zst behind it), .xlsx or .parquet")
	isFile(cmd, "out")
	w.addShield(cmd)
}

// addShield adds the flag for delimited text, be it of a result or of what is beside it.
func (w *writing) addShield(cmd *cobra.Command) {
	const name = "shield-formulas"
	if cmd.Flags().Lookup(name) == nil {
		cmd.Flags().BoolVar(&w.shield, name, false, "in delimited text, put an apostrophe before what a spreadsheet would run as a formula")
	}
}

func (w *writing) addSuspense(cmd *cobra.Command) {
	cmd.Flags().StringVar(&w.suspense, "suspense", "", "write the records that were set aside to a CSV file, each with its reason")
	isFile(cmd, "suspense")
	w.addShield(cmd)
	cmd.Flags().BoolVar(&w.replace, "replace", false, "overwrite existing files")
}

// create starts an output file, after making sure that it is not placed among
// the sources.
func (a *app) create(in *input, w *writing, path string) (*show.Output, error) {
	for _, read := range append([]*input{in}, a.inputs...) {
		if err := read.keepApart(path); err != nil {
			return nil, err
		}
	}
	return a.outputs.Create(path, w.replace)
}

// openSuspense starts the suspense file; without --suspense both are nil.
func (a *app) openSuspense(in *input, w *writing) (*suspense.File, *show.Output, error) {
	if w.suspense == "" {
		return nil, nil, nil
	}
	output, err := a.create(in, w, w.suspense)
	if err != nil {
		return nil, nil, err
	}
	file, err := newSuspense(output, w.shield)
	return file, output, err
}

// newSuspense starts a suspense file in an output; nil for none.
func newSuspense(output *show.Output, shield bool) (*suspense.File, error) {
	if output == nil {
		return nil, nil
	}
	return suspense.New(output, shield)
}
