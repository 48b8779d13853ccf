// Package cli is the command line: each command takes flags in, makes a core
// call, and gives the result out. What is computed is in core, how it looks is
// in show.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"
	"time"

	"lastblock/core/format/postgres"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/nearest"
	"lastblock/show"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// The exit codes.
const (
	ExitDone    = 0 // done, without a "stop" finding
	ExitStop    = 1 // done, and there is a "stop" finding
	ExitNotDone = 2 // bad usage, or a file that cannot be read or written
)

// errStop ends a command that is done and has a "stop" finding.
var errStop = errors.New("there is a \"stop\" finding")

// Main runs the command line as a process: with its standard streams, and
// stopped by an interrupt, unless its results are being put in place already.
func Main(args []string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer stop()
	signal.Ignore(syscall.SIGPIPE) // writing to a pipe that nobody reads is an error, after which all is tidied up
	defer show.InWorkroom()()
	outputs := new(show.Outputs)
	ended := make(chan outcome, 1)
	go func() { ended <- run(ctx, args, os.Stdin, os.Stdout, os.Stderr, outputs) }()
	select {
	case o := <-ended:
		return o.code
	case <-ctx.Done():
	}
	// The command ends by itself, unless it waits for bytes that do not come.
	const patience = time.Second
	select {
	case o := <-ended:
		if !o.interrupted {
			return o.code // it was past the point of no return
		}
	case <-time.After(patience):
		outputs.End() // which waits for what is being put in place
	}
	fmt.Fprintln(os.Stderr, "\nlastblock: interrupted; "+whatWasWritten(outputs.Placed()))
	return ExitNotDone
}

// whatWasWritten says which outputs are in place after all.
func whatWasWritten(placed []string) string {
	switch len(placed) {
	case 0:
		return "nothing was written"
	case 1:
		return show.Visible(placed[0]) + " was written before"
	}
	return fmt.Sprintf("%s and %d more were written before", show.Visible(placed[0]), len(placed)-1)
}

// outcome is how a run has ended.
type outcome struct {
	code        int
	interrupted bool
}

// Run runs the command line with the streams given and returns the exit code.
func Run(ctx context.Context, args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	return run(ctx, args, stdin, stdout, stderr, new(show.Outputs)).code
}

func run(ctx context.Context, args []string, stdin io.Reader, stdout, stderr io.Writer, outputs *show.Outputs) outcome {
	app := &app{stdin: stdin, stdout: show.NewScreen(stdout), stderr: show.NewScreen(stderr), outputs: outputs,
		begun: time.Now()}
	outputs.Tell = func(text string) {
		fmt.Fprintln(app.stderr, show.FoldedLines("lastblock: "+text,
			app.stderr.Width))
	}
	root := app.root()
	args = spreadPaths(args)
	root.SetArgs(args)
	root.SetIn(stdin)
	root.SetOut(stdout)
	root.SetErr(stderr)
	err := knownCommand(root, args)
	if err == nil {
		err = root.ExecuteContext(ctx)
	}
	outputs.Discard()
	if failed := app.stdout.Err(); failed != nil && (err == nil || errors.Is(err, errStop)) {
		err = fmt.Errorf("writing to standard output: %w; %s", failed, whatWasWritten(outputs.Placed()))
	}
	switch {
	case err == nil:
		return outcome{code: ExitDone}
	case errors.Is(err, errStop):
		return outcome{code: ExitStop}
	case ctx.Err() != nil: // whatever it was that could not go on
		return outcome{code: ExitNotDone, interrupted: true} // Main says why
	case errors.Is(err, syscall.EPIPE):
		return outcome{code: ExitNotDone} // the reader of a pipe has gone, and does not want to be told
	}
	fmt.Fprintln(app.stderr, show.FoldedLines("lastblock: "+show.VisibleLines(postgres.Hide(app.say(err))),
		app.stderr.Width))
	return outcome{code: ExitNotDone}
}

// knownCommand wants the first word to be a command.
func knownCommand(root *cobra.Command, args []string) error {
	if len(args) == 0 || strings.HasPrefix(args[0], "-") || strings.HasPrefix(args[0], "__") {
		return nil
	}
	names := []string{}
	for _, c := range root.Commands() {
		names = append(names, c.Name())
	}
	names = append(names, "help", "completion")
	if slices.Contains(names, args[0]) {
		return nil
	}
	return nearest.Unknown("command", args[0], names)
}

// app is what the commands of one run share.
type app struct {
	stdin          io.Reader
	stdout, stderr *show.Screen
	outputs        *show.Outputs
	begun          time.Time

	task    month.Task // that is run, nil for a command that is none
	options option.List
	plan    *month.Plan   // nil without one
	chain   *block.Chain  // of the plan, in a close
	sets    []*source.Set // that were opened to be read
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "lastblock",
		Short: "Turns the files that branches send into one trusted summary, and proves it",
		Long: `Every result ends in its proof. Sources are never changed.
Exit codes: 0 done; 1 done, with a "stop" finding; 2 not done.`,
		Example:       "  lastblock demo",
		SilenceUsage:  true,
		SilenceErrors: true,
		Args:          cobra.NoArgs,
		RunE:          func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cobra.EnableCommandSorting = false // commands stand in the order of the work
	root.SetHelpFunc(func(cmd *cobra.Command, _ []string) {
		text := rootHelp(root)
		if cmd != root {
			text = shortHelp(cmd)
		}
		fmt.Fprint(a.stdout, text)
	})
	root.SetHelpCommand(a.help(root))
	root.Version = Version
	root.SetVersionTemplate(versionText())
	root.SetFlagErrorFunc(explainFlag)
	root.AddCommand(a.demo(), a.draft(), a.intake(), a.gauge(), a.tieout(), a.doubles(), a.decide(), a.collate(),
		a.rollup(), a.overlay(), a.reconcile(), a.attach(), a.align(), a.split(), a.prove(), a.close(), a.history(),
		a.verify(),
		a.changes(), a.trace(), a.freeze(), a.relocate(), a.report(), a.version())
	root.InitDefaultCompletionCmd()
	root.PersistentPreRun = func(cmd *cobra.Command, _ []string) { a.tidyAround(cmd) }
	for _, c := range root.Commands() {
		c.Flags().SortFlags = false // they stand in the order of their table
		if c.Name() == "completion" {
			c.Short = "Completion of commands, files and columns, for your shell"
		}
	}
	return root
}

// explainFlag names the flag that was probably meant.
func explainFlag(cmd *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	if !errors.As(err, &unknown) {
		return err
	}
	var names []string
	cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, show.Flag(f.Name)) })
	return nearest.Unknown("flag", show.Flag(unknown.GetSpecifiedName()), names)
}
