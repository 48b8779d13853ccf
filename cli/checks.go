package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/tieout"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/expression"
	"lastblock/core/value/period"

	"github.com/spf13/cobra"
)

// checks are the flags for what has to hold of the sources, whatever was
// declared.
type checks struct {
	roster    string
	renamed   []string // columns of the roster
	periods   []string
	balance   []string
	balanceBy string
	sequence  []string
	inside    string
	required  []string
	allowed   []string
	rules     []string
	ruleNames []string
}

func (c *checks) addTo(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&c.roster, "roster", "", "who has to file: a file with the column entity, and if need be from and until")
	isFile(cmd, "roster")
	f.StringSliceVar(&c.renamed, "roster-rename", nil, "give columns of the roster the names that are read, e.g. 'Company=entity'")
	f.StringSliceVar(&c.periods, "periods", nil, "for which periods, e.g. 2031-01..2031-03, 2031Q1 or 2031-W05 (those that came)")
	f.StringSliceVar(&c.balance, "balance", nil, "totals that must be equal in each source, e.g. debit=credit, or amount=0")
	f.StringVar(&c.balanceBy, "balance-by", "", "the column within whose values they must be equal, too, such as a document's number")
	f.StringSliceVar(&c.sequence, "sequence", nil, "columns whose numbers must run without gaps or repeats")
	f.StringVar(&c.inside, "inside-period", "", "the column of dates that must be in the period of their file")
	f.StringSliceVar(&c.required, "required", nil, "columns that must not be blank")
	f.StringSliceVar(&c.allowed, "allowed", nil, "columns whose values must be on a list, e.g. account=accounts.csv#code")
	f.StringArrayVar(&c.rules, "rule", nil, "what must hold for each record, e.g. 'amount <= 50000 || approved_by != \"\"'")
	f.StringArrayVar(&c.ruleNames, "rule-name", nil, "what the rules are called, in their order")
}

// ask puts the checks into the options of a tie-out.
func (c *checks) ask(ctx context.Context, r *reading, in *input, options *tieout.Options) error {
	if c.roster != "" {
		table, err := in.readRenamed(ctx, c.roster, "roster-rename", c.renamed)
		if err != nil {
			return err
		}
		in.leaveOut("the roster", c.roster)
		if options.Roster, err = tieout.ReadRoster(table); err != nil {
			return fmt.Errorf("--roster: %w", err)
		}
	}
	for _, text := range c.periods {
		periods, err := period.ParseRange(text)
		if err != nil {
			return fmt.Errorf("--periods: %w", err)
		}
		for _, p := range periods {
			if !slices.Contains(options.Periods, p) {
				options.Periods = append(options.Periods, p)
			}
		}
	}
	if err := c.needWords(in.set); err != nil {
		return err
	}
	if c.balanceBy != "" && len(c.balance) == 0 {
		return fmt.Errorf("--balance-by %s: it says within what --balance must hold, which is missing; add for example --balance debit=credit", c.balanceBy)
	}
	for _, text := range c.balance {
		left, right, ok := cutPair(text)
		if !ok {
			return fmt.Errorf("--balance: %q is not of the form debit=credit, or amount=0", text)
		}
		options.Checks = append(options.Checks, &tieout.Balance{Left: left, Right: right, By: c.balanceBy})
	}
	for _, column := range c.sequence {
		options.Checks = append(options.Checks, &tieout.Sequence{Column: column})
	}
	if c.inside != "" {
		options.Checks = append(options.Checks, &tieout.InsidePeriod{Column: c.inside})
	}
	if len(c.required) > 0 {
		if err := noneTwice("required", c.required); err != nil {
			return err
		}
		options.Checks = append(options.Checks, &tieout.Required{Names: c.required})
	}
	for _, text := range c.allowed {
		check, err := c.readAllowed(ctx, r, in, text)
		if err != nil {
			return fmt.Errorf("--allowed: %w", err)
		}
		options.Checks = append(options.Checks, check)
	}
	return c.askRules(in.set, options)
}

// needWords wants the words of --name that the checks need.
func (c *checks) needWords(set *source.Set) error {
	const example = "add --name, for example --name '{entity}_{period}*'"
	entity, period := slices.Contains(set.Words(), "entity"), slices.Contains(set.Words(), "period")
	switch {
	case c.roster != "" && !entity:
		return fmt.Errorf("--roster: the files' names have to tell the entity: %s", example)
	case len(c.periods) > 0 && !(entity && period):
		return fmt.Errorf("--periods: the files' names have to tell the entity and the period: %s", example)
	case c.inside != "" && !period:
		return fmt.Errorf("--inside-period: the files' names have to tell the period: %s", example)
	}
	return nil
}

// cutPair takes apart a=b, neither of which may be missing.
func cutPair(text string) (left, right string, ok bool) {
	left, right, ok = strings.Cut(text, "=")
	left, right = strings.TrimSpace(left), strings.TrimSpace(right)
	return left, right, ok && left != "" && right != ""
}

// readAllowed reads column=FILE#column; the column of the file may be left out
// where it bears the same name.
func (c *checks) readAllowed(ctx context.Context, r *reading, in *input, text string) (*tieout.Allowed, error) {
	column, list, ok := cutPair(text)
	if !ok {
		return nil, fmt.Errorf("%q is not of the form account=accounts.csv#code", text)
	}
	file, from, named := strings.Cut(list, "#")
	if !named {
		from = column
	}
	if _, planned := r.planned["allowed"]; planned {
		file = r.beside(file)[0]
	}
	table, err := in.readTable(ctx, file)
	if err != nil {
		return nil, err
	}
	in.leaveOut("a list of what is allowed", file)
	at, ok := table.Layout.Find(from)
	if !ok {
		return nil, fmt.Errorf("%s has no column %q; there is: %s", file, from, strings.Join(table.Layout.Columns, ", "))
	}
	allowed := &tieout.Allowed{Column: column, List: file}
	for _, row := range table.Rows {
		allowed.Values = append(allowed.Values, strings.TrimSpace(row[at]))
	}
	return allowed, nil
}

func (c *checks) askRules(set *source.Set, options *tieout.Options) error {
	if len(c.ruleNames) > len(c.rules) {
		return fmt.Errorf("--rule-name %q: there are %d names for %d rules", c.ruleNames[len(c.ruleNames)-1], len(c.ruleNames), len(c.rules))
	}
	for i, text := range c.rules {
		x, err := expression.Parse(text)
		if err != nil {
			return fmt.Errorf("--rule: %w", err)
		}
		if !x.IsCondition() {
			return fmt.Errorf("--rule: %q is neither true nor false; write for example 'debit <= 50000'", text)
		}
		name := strings.TrimSpace(text)
		if i < len(c.ruleNames) && c.ruleNames[i] != "" {
			name = c.ruleNames[i]
		}
		options.Checks = append(options.Checks, &tieout.Rule{Name: name, Expression: x, Words: append(slices.Clone(set.Words()), record.SourceColumn)})
	}
	return nil
}

// readTable reads a small file that has another part in the run than a source.
func (in *input) readTable(ctx context.Context, path string) (*source.Table, error) {
	in.app.isReading(nil, path)
	return source.ReadTable(ctx, path, source.Reading{Memory: in.reading.Memory}, in.decimal)
}

// readRenamed is readTable, with other names for columns that a flag gives.
func (in *input) readRenamed(ctx context.Context, path, flag string, texts []string) (*source.Table, error) {
	table, err := in.readTable(ctx, path)
	if err != nil {
		return nil, err
	}
	return table, rename(table, flag, texts)
}

// rename gives columns of a table the names that a flag says.
func rename(table *source.Table, flag string, texts []string) error {
	all, err := renames(texts)
	if err == nil {
		err = table.Rename(all)
	}
	if err != nil {
		return fmt.Errorf("--%s: %w", flag, err)
	}
	return nil
}

// tolerances reads column=amount.
func tolerances(texts []string) (map[string]amount.Amount, error) {
	all := make(map[string]amount.Amount)
	for _, text := range texts {
		column, within, ok := cutPair(text)
		value, err := amount.Parse([]byte(within), '.')
		if !ok || err != nil || value.Sign() < 0 {
			return nil, fmt.Errorf("--tolerance: %q is not of the form debit=0.05", text)
		}
		all[column] = value
	}
	return all, nil
}
