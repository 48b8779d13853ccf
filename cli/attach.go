package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"lastblock/core/capability/attach"
	"lastblock/core/capability/collate"
	"lastblock/core/source"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type attachFlags struct {
	collateFlags
	from      []string
	key       []string
	bring     []string
	valid     []string
	otherwise string
	reference other
}

func (a *app) attach() *cobra.Command {
	f := new(attachFlags)
	cmd := &cobra.Command{
		Use:   "attach [RECORDS…] --from REFERENCE",
		Short: "Look up columns for each record in a reference",
		Long: `Brings columns from a reference to the records: one row in, one row out, in the same
order. Keys are compared by what they mean; numbers with leading zeros are treated as
codes. A key that the reference lacks, or has with different values, is a "stop"
finding, with its records and their money; --else fills what is not found, and makes
that a review.

--from may be given several times; the first --key, --bring and --valid then belong to
the first one, and so on. What one has brought can be the key of the next. With
--valid 'posted in from..until' the row counts that holds on that day.`,
		Example: `  lastblock attach --plan lastblock-demo/lastblock.toml --from lastblock-demo/accounts.csv --key account=code --bring name=account_name --out lastblock-demo/results/named.csv --replace
  lastblock attach lastblock-demo/journals/corvane_2031-01.csv --from lastblock-demo/accounts.csv --key Konto=code --bring name --bare`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runAttach(cmd, f, paths) },
	}
	flags := cmd.Flags()
	flags.StringArrayVar(&f.from, "from", nil, "the reference: a file, a folder, or a database as postgres://user@host/name with --from-query")
	isFile(cmd, "from")
	flags.StringArrayVar(&f.key, "key", nil, "columns by which it is looked up, as 'account=code' where they have other names there")
	flags.StringArrayVar(&f.bring, "bring", nil, "columns of the reference to bring, e.g. 'name,group' or 'name=account_name'")
	flags.StringArrayVar(&f.valid, "valid", nil, "when a row of the reference holds, e.g. 'posted in from..until'")
	flags.StringVar(&f.otherwise, "else", "", "what is written where nothing is found")
	f.addTo(cmd, a)
	f.reference.addTo(cmd, fromPrefix)
	return cmd
}

// references are what the flags say of them.
func (f *attachFlags) references(ctx context.Context, cmd *cobra.Command, in *input) ([]*attach.Reference, error) {
	switch {
	case len(f.from) == 0:
		return nil, errors.New("--from: where are the columns? Name the reference behind --from")
	case len(f.key) == 0:
		return nil, attach.ErrNoKey
	case len(f.bring) == 0:
		return nil, errors.New("--bring: which columns are brought? Name them")
	}
	for flag, n := range map[string]int{"key": len(f.key), "bring": len(f.bring), "valid": len(f.valid)} {
		if n > len(f.from) || flag == "bring" && n < len(f.from) {
			return nil, fmt.Errorf("--%s stands %d times and --from %d times; each belongs to one reference, in their order", flag, n, len(f.from))
		}
	}
	var references []*attach.Reference
	for i, from := range f.from {
		other, err := f.reference.open(ctx, &f.reading, in, []string{from})
		if err != nil {
			return nil, fmt.Errorf("--from: %w", err)
		}
		in.leaveOut("the reference", from)
		r := &attach.Reference{Set: other.set, Name: from, Key: parsePairs(f.key[min(i, len(f.key)-1)]), Bring: parsePairs(f.bring[i])}
		if source.IsQuery(from) {
			r.Name = other.set.Sources[0].Name
		}
		if cmd.Flags().Changed("else") {
			r.Else = &f.otherwise
		}
		if i < len(f.valid) && f.valid[i] != "" {
			if r.Valid, err = parseValid(f.valid[i]); err != nil {
				return nil, err
			}
		}
		references = append(references, r)
	}
	return references, nil
}

// parsePairs reads 'a=b,c': columns with what they are called elsewhere.
func parsePairs(text string) []attach.Pair {
	var pairs []attach.Pair
	for _, word := range splitList(text) {
		column, is, renamed := strings.Cut(word, "=")
		if !renamed {
			is = column
		}
		pairs = append(pairs, attach.Pair{Column: strings.TrimSpace(column), Is: strings.TrimSpace(is)})
	}
	return pairs
}

// parseValid reads 'posted in from..until'.
func parseValid(text string) (*attach.Valid, error) {
	date, between, _ := strings.Cut(text, " in ")
	from, until, ok := strings.Cut(between, "..")
	v := &attach.Valid{Date: strings.TrimSpace(date), From: strings.TrimSpace(from), Until: strings.TrimSpace(until)}
	if !ok || v.Date == "" || v.From == "" || v.Until == "" {
		return nil, fmt.Errorf("--valid %q is not of the form 'posted in from..until'", text)
	}
	return v, nil
}

func (a *app) runAttach(cmd *cobra.Command, f *attachFlags, paths []string) error {
	return a.collateWith(cmd, &f.collateFlags, paths, func(in *input, options *collate.Options, format show.Format) error {
		references, err := f.references(cmd.Context(), cmd, in)
		if err != nil {
			return err
		}
		attached, err := attach.Read(cmd.Context(), references, in.reading, attach.Options{Totals: f.totals, Typed: format.IsTyped(), Delimiter: options.Delimiter})
		if err != nil {
			return err
		}
		options.Adder = &adder{Attachment: attached, columns: &f.added}
		return nil
	})
}

// adder is an attachment as a collation takes it.
type adder struct {
	*attach.Attachment
	columns *[]show.Cells
}

func (a *adder) Worker() collate.AdderWorker { return a.Attachment.Worker() }

func (a *adder) Names() []string {
	*a.columns = nil
	for _, c := range a.Columns() {
		*a.columns = append(*a.columns, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale})
	}
	return a.Attachment.Names()
}
