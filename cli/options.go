package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/month"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/show"

	"github.com/pbnjay/memory"
	"github.com/spf13/cobra"
)

// addOptions gives a command a flag for each option.
func addOptions(cmd *cobra.Command, options option.List) {
	flags := cmd.Flags()
	for _, o := range options {
		meaning := show.Flags(o.Meaning)
		switch value := o.Value.(type) {
		case *string:
			flags.StringVar(value, o.Word, *value, meaning)
		case *int:
			flags.IntVar(value, o.Word, *value, meaning)
		case *bool:
			flags.BoolVar(value, o.Word, *value, meaning)
		case *[]string:
			if o.Whole {
				flags.StringArrayVar(value, o.Word, *value, meaning)
			} else {
				flags.StringSliceVar(value, o.Word, *value, meaning)
			}
		}
		if o.File != option.NoFile {
			// fails only for a flag that does not exist
			if err := cmd.MarkFlagFilename(o.Word); err != nil {
				panic(err)
			}
		}
	}
}

// noteTyped tells options which of them were typed.
func noteTyped(cmd *cobra.Command, options option.List) error {
	for _, o := range options {
		o.Given = option.Given{Typed: cmd.Flags().Changed(o.Word)}
		if err := o.Check(); err != nil {
			return err
		}
	}
	return nil
}

// forTask makes cmd the command of a task: with its flags, which take what is not typed from the
// plan, and with run.
func (a *app) forTask(task month.Task, cmd *cobra.Command,
	run func(cmd *cobra.Command, paths []string) error) *cobra.Command {
	options := month.AllOptions(task)
	addOptions(cmd, options)
	cmd.Args = needPaths
	cmd.PreRunE = func(cmd *cobra.Command, _ []string) error {
		a.task, a.options = task, options
		return a.usePlan(cmd)
	}
	cmd.RunE = run
	cmd.ValidArgsFunction = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return nil, cobra.ShellCompDirectiveDefault
	}
	for _, o := range options {
		if o.Columns != option.NoColumns {
			completeColumns(cmd, task, o)
		}
	}
	return cmd
}

// tidyAround settles what runs that were ended have left beside the plan and the decisions of a command, before it
// reads either.
func (a *app) tidyAround(cmd *cobra.Command) {
	value := func(word string) string {
		if f := cmd.Flags().Lookup(word); f != nil {
			return f.Value.String()
		}
		return ""
	}
	file, decisions := value("plan"), value("decisions")
	if cmd.Flags().Lookup("plan") != nil && file == "" && isThere(plan.Name) {
		file = plan.Name
	}
	if file != "" {
		a.outputs.Home = filepath.Dir(file)
		a.outputs.Tidy(a.outputs.Home)
		a.outputs.RemoveEmpty(decisionsOf(file))
	}
	if decisions != "" {
		a.outputs.Tidy(filepath.Dir(decisions))
	}
}

// usePlan takes what is not typed from the plan.
func (a *app) usePlan(cmd *cobra.Command) error {
	if err := noteTyped(cmd, a.options); err != nil {
		return err
	}
	file := a.task.Sources().Plan
	if needsPlan(a.task) && file == "" {
		if _, err := os.Stat(plan.Name); err == nil {
			file = plan.Name
			a.task.Sources().Plan = file
		}
	}
	if file == "" {
		return nil
	}
	writes := []string{a.task.Name()}
	if needsPlan(a.task) {
		writes = nil // it makes all that the plan names
	}
	read, err := readPlan(file, a.task.Sources().Outside, writes...)
	if err != nil {
		return err
	}
	a.plan = read
	a.outputs.Protect(read.Files()...)
	if month.MakesSeveral(a.task) {
		return nil // resultsOf has each result take its own
	}
	notes, err := read.Apply(a.task, a.options)
	a.note(notes)
	return err
}

// readPlan reads a plan, by which some commands, or all, write in its own folder alone unless it may write outside.
func readPlan(file string, outside bool, commands ...string) (*month.Plan, error) {
	p, err := month.ReadPlan(file)
	if err == nil && !outside {
		err = p.StaysInside(commands...)
	}
	return p, err
}

// needsPlan tells whether a task is nothing without a plan, which then is that of the folder.
func needsPlan(t month.Task) bool {
	switch t.(type) {
	case *month.Closing, *month.Report:
		return true
	}
	return false
}

// note prints notes on what takes the place of something else.
func (a *app) note(notes []string) {
	for _, note := range notes {
		fmt.Fprintln(a.stderr, show.FoldedLines(show.Visible("note: "+show.Flags(note)), a.stderr.Width))
	}
}

// say writes an error with its options as the user has given them: as flags, or as keys of the
// plan with their places.
func (a *app) say(err error) string {
	lead := show.Flag
	if a.plan != nil {
		lead = func(word string) string { return show.Flags(a.plan.Lead(a.options)(word)) }
	}
	return option.Say(err.Error(), lead, show.Flag)
}

// machine is how much memory there is, in bytes.
func machine() int64 { return int64(memory.TotalMemory()) }

// completeColumns completes the names of columns, read from the headers of the files that stand
// on the command line.
func completeColumns(cmd *cobra.Command, task month.Task, o *option.Option) {
	complete := func(cmd *cobra.Command, paths []string, typed string) ([]string, cobra.ShellCompDirective) {
		const directive = cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		if len(paths) == 0 || slices.Contains(paths, "-") {
			return nil, directive
		}
		in, err := task.Sources().Open(cmd.Context(), paths, machine())
		if err != nil || in.Set.Look(cmd.Context(), in.Reading) != nil {
			return nil, directive
		}
		columns := in.Set.Columns()
		if o.Columns == option.AnyColumns {
			columns = append(append(columns, in.Set.Words()...), "source")
		}
		before := ""
		if i := strings.LastIndexByte(typed, ','); i >= 0 {
			before, typed = typed[:i+1], typed[i+1:]
		}
		var fitting []string
		for _, name := range columns {
			if strings.HasPrefix(name, typed) {
				fitting = append(fitting, before+name)
			}
		}
		return fitting, directive
	}
	// fails only for a flag that does not exist
	if err := cmd.RegisterFlagCompletionFunc(o.Word, complete); err != nil {
		panic(err)
	}
}
