package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// Version and Commit are set when a release is built, with
// -ldflags "-X lastblock/cli.Version=1.0.0 -X lastblock/cli.Commit=abc123".
var (
	Version = "0.3.0"
	Commit  = ""
)

func (a *app) version() *cobra.Command {
	return &cobra.Command{
		Use:     "version",
		Short:   "Which Lastblock is this?",
		Example: "  lastblock version",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			_, err := fmt.Fprint(a.stdout, versionText())
			return err
		},
	}
}

// versionText tells version, commit, Go and the system it was built for.
func versionText() string {
	return fmt.Sprintf("lastblock %s\ncommit %s\n%s %s/%s\n", Version, commit(), runtime.Version(), runtime.GOOS,
		runtime.GOARCH)
}

// commit is what was set at the build, or what Go noted itself.
func commit() string {
	if Commit != "" {
		return Commit
	}
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	revision, changed := "unknown", ""
	for _, s := range info.Settings {
		switch {
		case s.Key == "vcs.revision":
			revision = s.Value
		case s.Key == "vcs.modified" && s.Value == "true":
			changed = " (changed since)"
		}
	}
	return revision + changed
}
