package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"
)

// completeColumns completes the names of columns, read from the headers of the
// files that stand on the command line, for flags that take a list of them.
func (r *reading) completeColumns(cmd *cobra.Command, words bool, flags ...string) {
	complete := func(cmd *cobra.Command, paths []string, typed string) ([]string, cobra.ShellCompDirective) {
		const directive = cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		in, err := r.open(cmd.Context(), paths)
		if err != nil || len(paths) == 0 || slices.Contains(paths, "-") || in.set.Look(cmd.Context(), in.reading) != nil {
			return nil, directive
		}
		columns := in.set.Columns()
		if words {
			columns = append(columns, in.set.Words()...)
			columns = append(columns, "source")
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
	for _, flag := range flags {
		// fails only for a flag that does not exist, which the first run of any test shows
		if err := cmd.RegisterFlagCompletionFunc(flag, complete); err != nil {
			panic(err)
		}
	}
}
