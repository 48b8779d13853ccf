package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/suspense"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/show"
)

// open finds the sources of a task.
func (a *app) open(ctx context.Context, task month.Task, paths []string) (*month.Input, error) {
	debug.SetGCPercent(muchGarbage) // while they are found, which leaves some hundred bytes each
	in, err := task.Sources().Open(ctx, paths, machine())
	if in != nil {
		in.Seen = seenFile(task.Sources().Plan)
		a.reads(in)
	}
	return in, err
}

// reads notes what is read, so that no output takes its place.
func (a *app) reads(in *month.Input) {
	sources := 0
	if in.Set != nil {
		a.sets = append(a.sets, in.Set)
		sources = len(in.Set.Sources)
	}
	if in.Reading.Memory > 0 {
		limitMemory(in.Reading.Memory, sources)
	}
}

// How much garbage there may be, in percent of what is held: while little is held, usually, and where a run holds much
// of very many sources.
const (
	muchGarbage   = 400
	usualGarbage  = 200
	littleGarbage = 100
)

// limitMemory lets garbage grow while memory is plenty, and less where it is not. What is known of very many sources is
// nearly all that a run holds, and is held to its end.
func limitMemory(bytes int64, sources int) {
	const many = 20_000
	debug.SetMemoryLimit(bytes)
	if sources > many {
		debug.SetGCPercent(littleGarbage)
	} else {
		debug.SetGCPercent(usualGarbage)
	}
}

// progress shows how far reading has come, until the function it returns is called.
func (a *app) progress(inputs ...*month.Input) (stop func()) {
	if a.task == nil || a.task.Sources().Quiet {
		return func() {}
	}
	files, bytes := 0, int64(0)
	for _, in := range inputs {
		files, bytes = files+len(in.Set.Sources), bytes+in.Set.Bytes()
	}
	return show.Progress(a.stderr, a.begun, inputs[0].Reading.Progress, files, bytes)
}

// settle marks the findings that were accepted, has their options written as flags, and keeps
// them all in mind for decide.
func (a *app) settle(in *month.Input, command string, findings []finding.Finding) {
	for i := range findings {
		settle(in, &findings[i])
	}
	remember(append([]string{command}, in.Set.Paths...), findings)
}

func settle(in *month.Input, f *finding.Finding) {
	in.SettleOne(f)
	f.Message = show.Flags(f.Message)
}

// each gives every finding as settle makes it.
func each(in *month.Input, all show.EachFinding) show.EachFinding {
	return func(visit func(*finding.Finding) error) error {
		return all(func(f *finding.Finding) error {
			settle(in, f)
			return visit(f)
		})
	}
}

// settled marks the findings of a part of a run that were accepted, and has their options written as
// flags.
func settled(in *month.Input, findings []finding.Finding) []finding.Finding {
	for i := range findings {
		settle(in, &findings[i])
	}
	return findings
}

// together are the findings of all parts of a run, each once, which decide is to know.
func (a *app) together(in *month.Input, v *month.Verdict, lists ...[]finding.Finding) []finding.Finding {
	if v != nil {
		for i := range v.Stops {
			v.Stops[i].Message = show.Flags(v.Stops[i].Message)
		}
		lists = append([][]finding.Finding{v.Stops}, lists...)
	}
	all := finding.Union(lists...)
	remember(append([]string{a.task.Name()}, in.Set.Paths...), all)
	return all
}

// resultsOf are the results of a command that the plan or the command line asks for.
func resultsOf[T month.Maker](a *app, typed T, make func() T) ([]*month.Result[T], error) {
	results, notes, err := month.Results(a.plan, typed, a.options, make)
	if err != nil {
		return nil, err
	}
	a.note(notes)
	a.options = results[0].Options
	return results, nil
}

// begin begins the one reading of a run.
func (a *app) begin(ctx context.Context, in *month.Input) (*month.Run, error) {
	return month.Begin(ctx, in, a.plan, a.options, machine())
}

// needPlaces wants a place for each of several results where they do not all go to a terminal.
func (a *app) needPlaces(results int, json bool, hasPlace func(i int) bool) error {
	if results == 1 || json || a.stdout.Terminal {
		return nil
	}
	for i := range results {
		if !hasPlace(i) {
			return fmt.Errorf("there are %d results, which cannot all go into one pipe: choose one with --named, give "+
				"each an out in the plan, as out = \"results/{name}.xlsx\", or take --json", results)
		}
	}
	return nil
}

// stopped is errStop where a finding stops, unless there is an error already.
func stopped(err error, findings ...[]finding.Finding) error {
	for _, some := range findings {
		if err == nil && finding.Stops(some) {
			return errStop
		}
	}
	return err
}

// create starts an output file, after making sure that it is not placed among the sources, nor
// where something lies that is read beside them.
func (a *app) create(w *month.Writing, path string) (*show.Output, error) {
	for _, set := range a.sets {
		if err := set.KeepApart(path); err != nil {
			return nil, err
		}
		a.outputs.Protect(set.Beside...)
	}
	if w.Replace && a.plan != nil && a.chain == nil {
		if err := a.keepSealed(path); err != nil {
			return nil, err
		}
	}
	if err := a.mayReplace(w, path); err != nil {
		return nil, err
	}
	output, err := a.outputs.Create(path, w.Replace)
	if err == nil && a.plan != nil {
		output.From(&show.Origin{Plan: filepath.Base(a.task.Sources().Plan), Result: cmp.Or(w.Result, a.task.Name())})
	}
	return output, err
}

// mayReplace makes sure that a plan that says so has nothing replaced but what Lastblock wrote: it may be somebody
// else's. Which files a close replaces is for the chain to say.
func (a *app) mayReplace(w *month.Writing, path string) error {
	info, err := os.Lstat(path)
	if err != nil || !w.Replace || !w.OnlyOwn || a.chain != nil || !info.Mode().IsRegular() || source.Wrote(path) {
		return nil
	}
	return fmt.Errorf("%s is not as Lastblock has written it, and 'replace' in a plan replaces nothing else; "+
		"--replace on the command line does", path)
}

// keepSealed makes sure that an output would not be written over what a close of the plan has sealed. Which of that may
// be replaced, a close asks the chain.
func (a *app) keepSealed(path string) error {
	if _, err := os.Stat(path); err != nil {
		path = filepath.Clean(path) // whose folders may be made yet
	}
	if info, err := os.Stat(path); err != nil || !info.Mode().IsRegular() {
		return nil // nothing is there, or nothing that is written over
	}
	chain, err := a.plan.Chain()
	if broken := (*block.BrokenError)(nil); err != nil && !errors.As(err, &broken) {
		return nil // it is no chain of this plan, or none that can be read, as verify tells
	}
	file := a.task.Sources().Plan
	wanted := block.Wanted{Root: filepath.Dir(file)}
	if stands, err := standing(file); err == nil { // that the decisions were touched is for verify to tell
		wanted.Moved = stands.Moves
	}
	sealed, err := chain.Sealing(context.Background(), wanted, path)
	if err != nil || sealed == nil {
		return err
	}
	return fmt.Errorf("%s is sealed by block %d of %s, and only a close replaces what is sealed; choose "+
		"another file", path, sealed.Number, sealed.Period)
}

// createReview starts the workbook to decide in; nil where none is asked for.
func (a *app) createReview(w *month.Writing) (*show.Output, error) {
	switch {
	case w.Review == "":
		return nil, nil
	case !strings.HasSuffix(strings.ToLower(w.Review), ".xlsx"):
		return nil, option.Wrong("review", w.Review, "the name of a workbook is needed, which ends in .xlsx")
	}
	return a.create(w, w.Review)
}

// formatOf is the format of a file that an option names.
func formatOf(word, path string) (show.Format, string, error) {
	if path == "" {
		return show.CSV, "", nil
	}
	return show.FormatOf(word, path)
}

// openSuspense starts the suspense file; without one both are nil.
func (a *app) openSuspense(w *month.Writing) (*suspense.File, *show.Output, error) {
	if w.Suspense == "" {
		return nil, nil, nil
	}
	output, err := a.create(w, w.Suspense)
	if err != nil {
		return nil, nil, err
	}
	file, err := suspense.New(output, w.Shield)
	return file, output, err
}

// notWritten says why there is no result.
const notWritten = "the result was not written, because of \"stop\" findings; --anyway writes it all the same"

// beside is where remarks go that stand beside records or rows on standard output.
func (a *app) beside() *show.Screen {
	if a.stdout.Terminal {
		return a.stdout
	}
	return a.stderr
}
