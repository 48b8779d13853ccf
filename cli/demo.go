package cli

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"lastblock/demo"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
)

func (a *app) demo() *cobra.Command {
	return &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Show me, on data that ships with Lastblock",
		Long: `Writes a small month end into a folder (lastblock-demo, if none is named): the
journals of a made-up group of five cable car companies, their pass sales, and what
they owe one another, with a few faults in them. Then walks through the commands,
each run for real.`,
		Example: `  lastblock demo
  lastblock demo lastblock-demo`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 1 {
				return fmt.Errorf("demo takes one folder, and %d are named: %s", len(args), strings.Join(args, ", "))
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			folder := "lastblock-demo"
			if len(args) == 1 {
				folder = filepath.Clean(args[0])
			}
			if err := demo.Write(folder); err != nil {
				return err
			}
			return a.walk(cmd, folder)
		},
	}
}

// walk runs the steps of the demo.
func (a *app) walk(cmd *cobra.Command, folder string) error {
	s := a.stdout
	fmt.Fprintf(s, "The journals of five companies for three months lie in %s.\n", filepath.Join(folder, "journals"))
	steps := demo.Walk(folder)
	for i, step := range steps {
		see := fmt.Sprintf("%d of %d  %s", i+1, len(steps), step.See)
		if s.Width > 0 {
			see = text.WrapSoft(see, s.Width)
		}
		fmt.Fprintf(s, "\n%s\n\n%s\n\n", see, s.Bold("$ "+demo.CommandLine(program(), step.Args)))
		if step.Before != nil {
			if err := step.Before(folder); err != nil {
				return err
			}
		}
		code := run(cmd.Context(), step.Args, a.stdin, s, a.stderr, a.outputs).code
		if err := s.Err(); err != nil {
			return err // nobody reads any more
		}
		if code == ExitNotDone {
			return errors.New("a step of the demo could not be done; what is wrong stands above")
		}
		fmt.Fprintf(s, "\n%s\n", s.Faint(fmt.Sprintf("exit code %d: %s", code, codeMeaning(code))))
	}
	return nil
}

func codeMeaning(code int) string {
	if code == ExitStop {
		return "done, and there is a \"stop\" finding"
	}
	return "done"
}

// program is how this program can be called again from where the user stands.
func program() string {
	const name = "lastblock"
	executable, err := os.Executable()
	if err != nil {
		return name
	}
	if strings.Contains(executable, string(filepath.Separator)+"go-build") {
		return "go run ."
	}
	if found, err := exec.LookPath(name); err == nil {
		if same, err := filepath.EvalSymlinks(found); err == nil && same == executable {
			return name
		}
	}
	if os.Args[0] != "" && strings.ContainsRune(os.Args[0], filepath.Separator) {
		return os.Args[0]
	}
	return name
}
