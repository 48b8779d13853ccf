package month

import (
	"lastblock/core/option"
	"lastblock/core/source"
)

// Writing is what a task writes besides what it shows, and how.
type Writing struct {
	Result string   // what the plan calls the result, "" for one without a name
	Named  []string // the results that are made, of those of the plan; nil for all

	Out      string
	Suspense string
	Findings string
	Review   string
	Bare     bool
	Replace  bool
	OnlyOwn  bool // of that, only files that Lastblock has written, since it is the plan that says so
	Anyway   bool
	Shield   bool
}

const (
	resultMeaning = "write the result to a file: .csv, .tsv, .json, .jsonl (each also with .gz or .zst behind it), " +
		".xlsx or .parquet"
	bareMeaning    = "leave out the words of ⟨name⟩, source and source_line"
	shieldMeaning  = "in delimited text, put an apostrophe before what a spreadsheet would run as a formula"
	suspendMeaning = "write the records that were set aside to a CSV file, each with its reason"
	listMeaning    = "write every finding to a file, in the format of its ending as with ⟨out⟩"
)

// each is for commands that print a table of sources.
func each(value *bool) *option.Option {
	return &option.Option{Word: "each", Value: value,
		Meaning: "list every source; without it, of very many only those with something to look at"}
}

// Options are all options that say what is written; each task has some of them.
func (w *Writing) Options() option.List {
	return option.List{w.out(), w.suspense(), w.findings(listMeaning), w.review(), w.bare(bareMeaning), w.anyway(),
		w.named(), w.shield(), w.replace()}
}

// ReferenceOptions are those of how a reference is read, with a prefix before their words.
func ReferenceOptions(prefix string) option.List {
	return (&source.Request{Prefix: prefix}).ReferenceOptions()
}

// Outputs is what a task writes, of which a plan may ask several results.
func (w *Writing) Outputs() *Writing { return w }

func (w *Writing) named() *option.Option {
	return &option.Option{Word: "named", Value: &w.Named, OneRun: true,
		Meaning: "of several results of a plan, make only those with these names"}
}

func (w *Writing) out() *option.Option {
	return &option.Option{Word: "out", Value: &w.Out, File: option.Written, Meaning: resultMeaning}
}

func (w *Writing) anyway() *option.Option {
	return &option.Option{Word: "anyway", Value: &w.Anyway,
		Meaning: "write the result although there is a \"stop\" finding"}
}

func (w *Writing) suspense() *option.Option {
	return &option.Option{Word: "suspense", Value: &w.Suspense, File: option.Written, Meaning: suspendMeaning}
}

// replaceWord is the word of the option that lets outputs overwrite files.
const replaceWord = "replace"

func (w *Writing) replace() *option.Option {
	return &option.Option{Word: replaceWord, Value: &w.Replace, Meaning: "overwrite existing files"}
}

func (w *Writing) shield() *option.Option {
	return &option.Option{Word: "shield-formulas", Value: &w.Shield, Meaning: shieldMeaning}
}

func (w *Writing) findings(meaning string) *option.Option {
	return &option.Option{Word: "findings", Value: &w.Findings, File: option.Written, Meaning: meaning}
}

func (w *Writing) review() *option.Option {
	return &option.Option{Word: "review", Value: &w.Review, File: option.Written,
		Meaning: "write a workbook (.xlsx) in which to decide, for decide ⟨from⟩"}
}

func (w *Writing) bare(meaning string) *option.Option {
	return &option.Option{Word: "bare", Value: &w.Bare, Meaning: meaning}
}
