package cli

import (
	"context"

	"lastblock/core/source"

	"github.com/spf13/cobra"
)

// The prefixes of the flags that say how other sources are read than those that are
// named first.
const (
	againstPrefix = "against-"
	fromPrefix    = "from-"
)

// other are the flags that say how other sources are read.
type other struct {
	prefix  string
	only    []string
	skip    []string
	recurse bool
	manner  manner
}

func (o *other) addTo(cmd *cobra.Command, prefix string) {
	o.prefix = prefix
	f := cmd.Flags()
	f.StringSliceVar(&o.only, prefix+"only", nil, "read only files whose name matches a pattern")
	f.StringSliceVar(&o.skip, prefix+"skip", nil, "leave out files whose name matches a pattern")
	f.BoolVar(&o.recurse, prefix+"recurse", false, "read what lies below a folder, too")
	o.manner.addAs(f, prefix)
}

// open finds the sources, which are read with the same means as those of in.
func (o *other) open(ctx context.Context, r *reading, in *input, paths []string) (*input, error) {
	of := &reading{
		only: o.only, skip: o.skip, recurse: o.recurse, manner: o.manner, columns: string(source.AllColumns),
		memory: r.memory, jobs: r.jobs, command: r.command, prefix: o.prefix, app: r.app,
	}
	other, err := of.openSources(ctx, paths)
	if err != nil {
		return nil, err
	}
	other.reading.Progress, other.decided = in.reading.Progress, in.decided
	return other, nil
}
