package cli

import (
	"fmt"

	"github.com/spf13/cobra"
)

// needPaths wants at least one PATH.
func needPaths(cmd *cobra.Command, args []string) error {
	if f := cmd.Flags().Lookup("plan"); len(args) == 0 && (f == nil || !f.Changed) {
		return fmt.Errorf("%s needs a PATH: a file, a folder, a pattern, or - for standard input\nfor example:\n%s",
			cmd.CommandPath(), cmd.Example)
	}
	return nil
}
