package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"

	"lastblock/core/month/draft"
	"lastblock/core/source"
	"lastblock/show"

	"github.com/pbnjay/memory"
	"github.com/spf13/cobra"
)

func (a *app) draft() *cobra.Command {
	var out string
	var skip []string
	var replace bool
	cmd := &cobra.Command{
		Use:   "draft DIR",
		Short: "Write me a plan from what lies here",
		Long: `Looks at everything in a folder and below it, groups the files by their shape,
and writes a plan (lastblock.toml): what the files' names tell, how they are
written, what each column holds, and what can be totalled. What it drafts runs as
it is; comments say what was seen, and what may be meant.`,
		Example: `  lastblock draft lastblock-demo
  lastblock draft lastblock-demo --out lastblock-demo/results/drafted.toml --replace`,
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) != 1 {
				return fmt.Errorf("lastblock draft needs one folder, and there are %d\nfor example:\n%s", len(args),
					cmd.Example)
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			folder := args[0]
			if info, err := os.Stat(folder); err != nil || !info.IsDir() {
				return fmt.Errorf("%s: there is no such folder", folder)
			}
			reading := source.Reading{Jobs: runtime.GOMAXPROCS(0), Memory: int64(memory.TotalMemory() / 4)}
			limitMemory(reading.Memory, 0)
			d, err := draft.Run(cmd.Context(), folder, skip, reading)
			if err != nil {
				return err
			}
			if out == "" {
				_, err := io.WriteString(a.stdout, d.Text(filepath.ToSlash(folder), show.Flags))
				return err
			}
			below, err := pathFrom(filepath.Dir(out), folder)
			if err != nil {
				return err
			}
			output, err := a.outputs.Create(out, replace)
			if err != nil {
				return err
			}
			if _, err := io.WriteString(output, d.Text(filepath.ToSlash(below), show.Flags)); err != nil {
				return err
			}
			if err := a.outputs.Commit(output); err != nil {
				return err
			}
			fmt.Fprintf(a.stdout, "%s: a plan for %s in %s; read it, then run\n  lastblock intake "+
				"--plan %s\n", out, show.Count(d.Sources, "source"), show.Count(len(d.Shapes), "shape"), out)
			return nil
		},
	}
	cmd.Flags().StringVar(&out, "out", "", "write the plan to a file, mostly "+filepath.Join("DIR", "lastblock.toml")+
		", instead of showing it")
	cmd.Flags().StringSliceVar(&skip, "skip", nil, "leave out files whose name matches a pattern")
	cmd.Flags().BoolVar(&replace, "replace", false, "overwrite an existing file")
	return cmd
}

// pathFrom is the path of a folder from another one, as a plan in that names it; of one that no such path leads to, as
// one on another drive, it is the whole path.
func pathFrom(from, folder string) (string, error) {
	from, errFrom := filepath.Abs(from)
	folder, errFolder := filepath.Abs(folder)
	if err := errors.Join(errFrom, errFolder); err != nil {
		return "", err
	}
	if below, err := filepath.Rel(source.Resolved(from), source.Resolved(folder)); err == nil {
		return below, nil
	}
	return folder, nil
}
