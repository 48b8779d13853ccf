package cli

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/drop"
	"lastblock/core/month/plan"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/show"

	"github.com/pbnjay/memory"
	"github.com/spf13/cobra"
)

// reading are the flags that commands which read sources share.
type reading struct {
	only    []string
	skip    []string
	recurse bool
	columns string
	manner  manner
	memory  string
	jobs    int
	quiet   bool
	json    bool

	decisions string

	app      *app
	command  string // by its name
	prefix   string // of the flags, for other sources than those that are named first
	plan     string
	planned  map[string]plan.Place // flags whose value is that of the plan
	typed    map[string][]string   // values that the command line adds to those of the plan
	narrowed bool                  // --only or --skip was typed beside a plan
	notes    []string              // what takes the place of something in the plan
	paths    []string              // of the plan
	shapes   []source.NamedManner  // of the plan
}

// addTo adds the flags to a command of a; nil where only their names are asked for.
func (r *reading) addTo(a *app, cmd *cobra.Command) {
	r.app = a
	f := cmd.Flags()
	f.StringSliceVar(&r.only, "only", nil, "of what is found, read only files whose name matches a pattern")
	f.StringSliceVar(&r.skip, "skip", nil, "of what is found, leave out files whose name matches a pattern")
	f.BoolVar(&r.recurse, "recurse", false, "read what lies below a folder, too")
	f.StringVar(&r.columns, "columns", "all", "which columns are read: all, those shared by all sources, or strict: any difference is a \"stop\" finding")
	r.manner.addTo(f)
	f.StringVar(&r.memory, "memory", "", "how much memory may be used, e.g. 512MB (a quarter of the machine's)")
	f.IntVar(&r.jobs, "jobs", 0, "how many cores to use (all)")
	f.BoolVar(&r.quiet, "quiet", false, "no progress")
	f.StringVar(&r.plan, "plan", "", "take all of this from a plan; flags given beside it win")
	f.StringVar(&r.decisions, "decisions", "", "what was decided about findings ("+decisionsName+" beside the plan)")
	isFile(cmd, "decisions")
	f.BoolVar(&r.json, "json", false, "print one JSON document instead")
	cmd.PreRunE = func(cmd *cobra.Command, _ []string) error {
		r.command = cmd.Name()
		return r.usePlan(cmd)
	}
	if run := cmd.RunE; run != nil {
		cmd.RunE = func(cmd *cobra.Command, args []string) error { return r.inPlan(run(cmd, args)) }
	}
	cmd.ValidArgsFunction = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return nil, cobra.ShellCompDirectiveDefault
	}
}

// input is what a command reads, and how.
type input struct {
	set     *source.Set
	reading source.Reading
	decimal byte // that was asked for, 0 for none
	paths   []string
	recurse bool
	decided *decision.Log
	command string
	app     *app
}

// settle marks the findings that were accepted, and keeps them all in mind for
// decide.
func (in *input) settle(findings []finding.Finding) {
	for i := range findings {
		in.decided.Settle(&findings[i])
	}
	remember(append([]string{in.command}, in.paths...), findings)
}

// left is what was decided to be left out.
func (in *input) left() (*drop.Set, error) {
	left, err := tally.Decided(in.set, in.decided)
	if err != nil {
		return nil, fmt.Errorf("--decisions: %w", err)
	}
	return left, nil
}

// open finds the sources that paths name.
func (r *reading) open(ctx context.Context, paths []string) (*input, error) {
	if len(paths) == 0 {
		paths = r.paths
	}
	in := &input{paths: paths, recurse: r.recurse, command: r.command, app: r.app}
	r.app.isReading(in, r.plan, r.decisionsFile())
	in.reading = source.Reading{Jobs: r.jobs, Progress: new(source.Progress)}
	if r.jobs < 0 {
		return nil, fmt.Errorf("--jobs %d: at least 1 is needed", r.jobs)
	}
	if r.jobs == 0 {
		in.reading.Jobs = runtime.GOMAXPROCS(0)
	}
	in.reading.Memory = int64(memory.TotalMemory() / 4)
	if r.memory != "" {
		size, err := parseSize(r.memory)
		if err != nil {
			return nil, err
		}
		in.reading.Memory = size
	}
	limitMemory(in.reading.Memory)
	search := source.Search{Paths: paths, Recurse: r.recurse, Only: r.only, Skip: r.skip, Jobs: in.reading.Jobs, Prefix: r.prefix}
	var err error
	if search.Manner, err = r.manner.manner(r.nameOf); err != nil {
		return nil, err
	}
	in.decimal, search.Manners = search.Manner.Decimal, r.shapes
	switch search.Mode = source.ColumnMode(r.columns); search.Mode {
	case source.AllColumns, source.SharedColumns, source.StrictColumns:
	default:
		return nil, fmt.Errorf("--columns %q: it is all, shared or strict", r.columns)
	}
	if in.set, err = source.Find(ctx, search); err != nil {
		return nil, err
	}
	if file := r.decisionsFile(); file != "" {
		if in.decided, err = decision.Read(file); err != nil {
			return nil, fmt.Errorf("--decisions: %w", err)
		}
	}
	return in, nil
}

// isReading notes what a run reads, so that nothing of it becomes an output.
func (a *app) isReading(in *input, files ...string) {
	if in != nil {
		a.inputs = append(a.inputs, in)
	}
	if a.outputs != nil {
		a.outputs.Protect(files...)
	}
}

// decisionsName is what the file of decisions is called beside a plan.
const decisionsName = "decisions.csv"

// decisionsFile is the file of decisions, "" for none.
func (r *reading) decisionsFile() string {
	if r.decisions == "" && r.plan != "" {
		return r.beside(decisionsName)[0]
	}
	return r.decisions
}

// isPartial tells whether a run reads only a part of what its plan names.
func (r *reading) isPartial(paths []string) bool {
	return r.plan != "" && (len(paths) > 0 || r.narrowed)
}

// isFile marks a flag whose value is the path of a file.
func isFile(cmd *cobra.Command, flag string) {
	// fails only for a flag that does not exist, which the first run of any test shows
	if err := cmd.MarkFlagFilename(flag); err != nil {
		panic(err)
	}
}

// asFlag writes a flag as its user types it.
func asFlag(name string) string { return "--" + name }

// limitMemory lets garbage grow while memory is plenty, and hardly where it is
// not.
func limitMemory(bytes int64) {
	debug.SetMemoryLimit(bytes)
	debug.SetGCPercent(200)
}

// openSources is open for commands that need at least one source.
func (r *reading) openSources(ctx context.Context, paths []string) (*input, error) {
	in, err := r.open(ctx, paths)
	if err != nil {
		return nil, err
	}
	return in, in.needSources()
}

// needSources wants at least one source to be read.
func (in *input) needSources() error {
	if len(in.set.Sources) > 0 {
		return nil
	}
	if len(in.paths) == 0 {
		return fmt.Errorf("the plan has no paths, and none were given")
	}
	text := fmt.Sprintf("%s: there is no source to read", strings.Join(in.paths, ", "))
	const most = 5
	for i, p := range in.set.PassedOver {
		if i == most {
			text += fmt.Sprintf("\npassed over: %d more", len(in.set.PassedOver)-most)
			break
		}
		text += fmt.Sprintf("\npassed over: %s (%s)", p.Source, p.Reason)
	}
	return fmt.Errorf("%s", text)
}

// progress shows how far reading has come, until the function it returns is
// called.
func (a *app) progress(r *reading, in *input) (stop func()) {
	if r.quiet {
		return func() {}
	}
	return show.Progress(a.stderr, a.begun, in.reading.Progress, len(in.set.Sources), in.set.Bytes())
}
