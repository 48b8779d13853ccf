package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/decision"
	"lastblock/core/finding"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type decideFlags struct {
	accept    bool
	reopen    bool
	reason    string
	user      string
	plan      string
	decisions string
	findings  string
	json      bool
}

func (a *app) decide() *cobra.Command {
	f := new(decideFlags)
	cmd := &cobra.Command{
		Use:   "decide [ID…]",
		Short: "What was decided about findings, by whom and why?",
		Long: `Notes a decision about findings, by their ids as they are printed. An accepted
finding stays visible, with the reason, and no longer stops anything; once what
it says has changed, the decision does not hold any more. Decisions are only
ever added to a file: decisions.csv beside the plan, or that of --decisions. A
later decision on the same finding replaces an earlier one. Without an ID it
shows what was decided.

A finding is known by its id from the last runs of this user, else by tying out
the plan once more, or from the file that --findings names.`,
		Example: `  lastblock tieout --plan lastblock-demo/lastblock.toml --findings lastblock-demo/results/findings.csv --replace
  lastblock decide f8126qk9 --accept --reason 'row 18 was cancelled, says Dunmarrow' --plan lastblock-demo/lastblock.toml
  lastblock decide --plan lastblock-demo/lastblock.toml`,
		RunE: func(cmd *cobra.Command, ids []string) error { return a.runDecide(cmd.Context(), f, ids) },
	}
	flags := cmd.Flags()
	flags.BoolVar(&f.accept, "accept", false, "the findings are known, and stop nothing any more")
	flags.BoolVar(&f.reopen, "reopen", false, "an earlier decision does not count any more")
	flags.StringVar(&f.reason, "reason", "", "why, in words that somebody else understands in a year")
	flags.StringVar(&f.user, "user", "", "who decides (the user of this machine)")
	flags.StringVar(&f.decisions, "decisions", "", "the file of decisions ("+decisionsName+" beside the plan)")
	flags.StringVar(&f.findings, "findings", "", "where to look the findings up: a file that tieout --findings has written")
	flags.StringVar(&f.plan, "plan", "", "the plan of the month end")
	flags.BoolVar(&f.json, "json", false, "print one JSON document instead")
	isFile(cmd, "decisions")
	isFile(cmd, "findings")
	isFile(cmd, "plan")
	return cmd
}

// verdict is what the flags say is decided, "" for nothing.
func (f *decideFlags) verdict() (decision.Verdict, error) {
	switch {
	case f.accept && f.reopen:
		return "", errors.New("--accept: it does not go together with --reopen")
	case f.accept:
		return decision.Accept, nil
	case f.reopen:
		return decision.Reopen, nil
	}
	return "", nil
}

func (a *app) runDecide(ctx context.Context, f *decideFlags, ids []string) error {
	verdict, err := f.verdict()
	if err != nil {
		return err
	}
	file := f.decisions
	switch {
	case file == "" && f.plan == "":
		return errors.New("where are the decisions? Say --plan FILE for decisions.csv beside the plan, or --decisions FILE")
	case file == "":
		file = filepath.Join(filepath.Dir(f.plan), decisionsName)
	}
	switch {
	case len(ids) == 0 && verdict != "":
		return fmt.Errorf("--%s: about which findings? Their ids stand behind them in what tieout prints", verdict)
	case len(ids) == 0:
		return a.printDecisions(f, file)
	case verdict == "":
		return errors.New("what is decided? Say --accept, or --reopen to take an earlier decision back")
	case strings.TrimSpace(f.reason) == "":
		return fmt.Errorf("--%s needs --reason TEXT: somebody will ask in a year", verdict)
	}
	who := f.user
	if who == "" {
		current, err := user.Current()
		if err != nil {
			return fmt.Errorf("--user: who decides? The machine does not say: %w", err)
		}
		who = current.Username
	}
	findings, err := a.lookUp(ctx, f, ids)
	if err != nil {
		return err
	}
	var decisions []decision.Decision
	for i := range findings {
		decisions = append(decisions, decision.About(&findings[i], verdict, f.reason, who, time.Now()))
	}
	if err := decision.Append(file, decisions); err != nil {
		return err
	}
	if f.json {
		return show.Document(a.stdout, decisionsDocument(file, decisions))
	}
	for i := range findings {
		show.Decided(a.stdout, string(verdict), &findings[i])
	}
	fmt.Fprintf(a.stdout, "%s in %s\n", show.Count(len(decisions), "decision"), file)
	return nil
}

// lookUp finds the findings of some ids.
func (a *app) lookUp(ctx context.Context, f *decideFlags, ids []string) ([]finding.Finding, error) {
	var have []finding.Finding
	var err error
	if f.findings != "" {
		if have, err = readFindings(f.findings); err != nil {
			return nil, fmt.Errorf("--findings %s: %w", f.findings, err)
		}
		return pick(ids, have)
	}
	found, err := pick(ids, recalled())
	if err == nil || f.plan == "" {
		return found, err
	}
	flags := new(tieoutFlags)
	cmd := a.tieoutWith(flags)
	a.root().AddCommand(cmd)
	if err := cmd.ParseFlags([]string{"--plan", f.plan, "--quiet"}); err != nil {
		return nil, err
	}
	if err := flags.reading.usePlan(cmd); err != nil {
		return nil, err
	}
	flags.writing, flags.findings = writing{}, ""
	t, err := a.tieOut(ctx, flags, nil)
	if err != nil {
		return nil, err
	}
	defer t.result.Close()
	return pick(ids, t.result.Findings)
}

func readFindings(path string) ([]finding.Finding, error) {
	format, packed, err := show.FormatOf("findings", path)
	if err == nil && packed != "" {
		err = errors.New("unpack it first")
	}
	if err != nil {
		return nil, err
	}
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	return show.ReadFindings(file, format)
}

// pick returns the findings of some ids, each once.
func pick(ids []string, have []finding.Finding) ([]finding.Finding, error) {
	var picked []finding.Finding
	for _, id := range ids {
		at := slices.IndexFunc(have, func(f finding.Finding) bool { return f.ID == id })
		if at < 0 {
			return nil, unknownID(id, have)
		}
		if !slices.ContainsFunc(picked, func(f finding.Finding) bool { return f.ID == id }) {
			picked = append(picked, have[at])
		}
	}
	return picked, nil
}

func unknownID(id string, have []finding.Finding) error {
	text := fmt.Sprintf("no finding has the id %s", id)
	if len(have) == 0 {
		return errors.New(text + "; run tieout first, or say where to look with --plan or --findings FILE")
	}
	const most = 10
	for i := range have {
		if i == most {
			text += fmt.Sprintf("\nand %d more", len(have)-most)
			break
		}
		text += fmt.Sprintf("\nthere is: %s  %s", have[i].ID, show.Describe(&have[i]))
	}
	return errors.New(text)
}

func decisionsDocument(file string, decisions []decision.Decision) show.Object {
	doc := show.NewDocument("decide")
	objects := []show.Object{}
	for _, d := range decisions {
		o := show.Object{
			{Name: "time", Value: d.Time.UTC().Format(time.RFC3339)}, {Name: "user", Value: d.User}, {Name: "decision", Value: string(d.Verdict)},
			{Name: "reason", Value: d.Reason}, {Name: "id", Value: d.ID}, {Name: "kind", Value: string(d.Kind)}, {Name: "source", Value: d.Source},
		}
		if d.Line > 0 {
			o.Add("line", d.Line)
		}
		if d.Amount != "" {
			o.Add("amount", d.Amount)
		}
		objects = append(objects, o)
	}
	doc.Add("file", file)
	doc.Add("decisions", objects)
	return doc
}

// printDecisions shows what was decided, and which decisions a later one has
// replaced.
func (a *app) printDecisions(f *decideFlags, file string) error {
	log, err := decision.Read(file)
	if err != nil {
		return err
	}
	if f.json {
		return show.Document(a.stdout, decisionsDocument(file, log.Decisions))
	}
	if len(log.Decisions) == 0 {
		fmt.Fprintf(a.stdout, "nothing was decided yet in %s\n", file)
		return nil
	}
	t := show.Table{Columns: []show.Column{
		{Name: "id", Key: true, Whole: true}, {Name: "decision"}, {Name: "time", Whole: true}, {Name: "user"}, {Name: "kind"}, {Name: "source"},
		{Name: "line", Right: true}, {Name: "amount", Right: true}, {Name: "reason"},
	}}
	for _, d := range log.Decisions {
		line := ""
		if d.Line > 0 {
			line = fmt.Sprint(d.Line)
		}
		verdict := string(d.Verdict)
		if last, _ := log.Of(d.ID); last != d {
			verdict += ", replaced"
		}
		t.Add(d.ID, verdict, d.Time.Local().Format("2006-01-02 15:04"), d.User, string(d.Kind), d.Source, line, d.Amount, d.Reason)
	}
	t.Print(a.stdout)
	return nil
}
