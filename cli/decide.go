package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/review"
	"lastblock/core/month"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// deciding is what decide is asked for.
type deciding struct {
	accept    bool
	keep      bool
	drop      []string
	reopen    bool
	from      string
	reason    string
	user      string
	plan      string
	decisions string
	findings  string
	kinds     []string
	sources   []string
	yes       bool
	json      bool
}

func (f *deciding) options() option.List {
	return option.List{
		{Word: "accept", Value: &f.accept, Meaning: "the findings are known, and stop nothing any more"},
		{Word: "keep", Value: &f.keep, Meaning: "what looks like doubles is all to be counted"},
		{Word: "drop", Value: &f.drop, Meaning: "which of the doubles are left out, by their letters, e.g. B or B,C"},
		{Word: "reopen", Value: &f.reopen, Meaning: "an earlier decision does not count any more"},
		{Word: "from", Value: &f.from, File: option.Read,
			Meaning: "take the decisions from a workbook that ⟨review⟩ of tieout, doubles or reconcile wrote"},
		{Word: "kind", Value: &f.kinds, Meaning: "decide about all open findings of these kinds, e.g. blank-amount"},
		{Word: "source", Value: &f.sources,
			Meaning: "of these, only those about sources whose name matches a pattern, e.g. 'dunmarrow*'"},
		{Word: "yes", Value: &f.yes, Meaning: "decide about many without asking"},
		{Word: "reason", Value: &f.reason, Meaning: "why, in words that somebody else understands in a year"},
		{Word: "user", Value: &f.user, Meaning: "who decides (the user of this machine)"},
		{Word: "decisions", Value: &f.decisions, File: option.Written,
			Meaning: "the file of decisions (" + month.DecisionsName + " beside the plan)"},
		{Word: "findings", Value: &f.findings, File: option.Read,
			Meaning: "where to look the findings up: a file that ⟨findings⟩ of tieout, doubles or reconcile has " +
				"written"},
		{Word: "plan", Value: &f.plan, File: option.Read, Meaning: "the plan of the month end"},
		{Word: "json", Value: &f.json, Meaning: "print one JSON document instead"},
	}
}

func (a *app) decide() *cobra.Command {
	f := new(deciding)
	cmd := &cobra.Command{
		Use:   "decide [ID…]",
		Short: "What was decided about findings, by whom and why?",
		Long: `Notes a decision about findings, by their ids as they are printed. An accepted
finding stays visible, with the reason, and no longer stops anything; once what
it says has changed, the decision no longer applies. Of what doubles has
found, --drop leaves out the files or records that are called by these letters,
in tieout, collate and rollup from then on, as long as they are what they were;
--keep says that all are to be counted. Decisions are only ever added to a file:
decisions.csv beside the plan, or that of --decisions. A later decision on the
same finding replaces an earlier one. Without an ID it shows what was decided.

A finding is known by its id from the last runs of this user, else by running
the plan once more, or from the file that --findings names. --kind and --source
decide about many at once, which are listed first. --from takes the
decisions from a workbook that --review wrote and somebody filled in.`,
		Example: `  lastblock tieout --plan lastblock-demo/lastblock.toml --findings lastblock-demo/results/findings.csv --replace
  lastblock decide f8126qk9 --accept --reason 'row 18 was cancelled, says Dunmarrow' --plan lastblock-demo/lastblock.toml
  lastblock decide --plan lastblock-demo/lastblock.toml
  lastblock doubles --plan lastblock-demo/april/lastblock.toml --quiet
  lastblock decide 419b2wgy --drop B --reason 'sent twice, says Brackenfell' --plan lastblock-demo/april/lastblock.toml`,
		RunE: func(cmd *cobra.Command, ids []string) error { return a.runDecide(cmd.Context(), f, ids) },
	}
	addOptions(cmd, f.options())
	return cmd
}

// verdict is what the flags say is decided, "" for nothing.
func (f *deciding) verdict() (verdict decision.Verdict, err error) {
	for _, of := range []struct {
		given   bool
		verdict decision.Verdict
	}{{f.accept, decision.Accept}, {f.keep, decision.Keep}, {len(f.drop) > 0, decision.Drop},
		{f.reopen, decision.Reopen}} {
		if !of.given {
			continue
		}
		if verdict != "" {
			return "", option.Errorf(string(verdict), "it does not go together with %s",
				option.Mark(string(of.verdict)))
		}
		verdict = of.verdict
	}
	return verdict, nil
}

func (a *app) runDecide(ctx context.Context, f *deciding, ids []string) error {
	verdict, err := f.verdict()
	if err != nil {
		return err
	}
	file := f.decisions
	switch {
	case file == "" && f.plan == "":
		return errors.New("where are the decisions? Say --plan FILE for decisions.csv beside the plan, or " +
			"--decisions FILE")
	case file == "":
		file = filepath.Join(filepath.Dir(f.plan), month.DecisionsName)
	}
	switch {
	case f.from != "" && (len(ids) > 0 || verdict != "" || f.reason != "" || f.isMany()):
		return option.Errorf("from", "the workbook says what is decided and why; no ID and no decision goes with it")
	case f.from != "":
		return a.decideFrom(ctx, f, file)
	case f.isMany() && len(ids) > 0:
		return errors.New("name the findings by their ids, or by --kind and --source")
	case len(ids) == 0 && verdict != "" && !f.isMany():
		return option.Errorf(string(verdict),
			"about which findings? Their ids stand behind them in what tieout and doubles print")
	case len(ids) == 0 && !f.isMany():
		return a.showDecisions(f, file)
	case verdict == "":
		return errors.New("what is decided? Say --accept, --keep or --drop LETTER, or --reopen to take an earlier " +
			"decision back")
	case strings.TrimSpace(f.reason) == "":
		return option.Errorf(string(verdict), "it needs ⟨reason⟩ TEXT: somebody will ask in a year")
	}
	who, err := userOf(f.user)
	if err != nil {
		return err
	}
	var findings []finding.Finding
	if f.isMany() {
		findings, err = a.selectMany(ctx, f, verdict)
	} else {
		findings, err = a.lookUp(ctx, f, ids)
	}
	if err != nil {
		return err
	}
	decisions, err := f.decide(findings, verdict, who)
	if err != nil {
		return err
	}
	if f.isMany() && !f.yes {
		if err := a.confirm(verdict, findings); err != nil {
			return err
		}
	}
	if err := a.addDecisions(file, decisions); err != nil {
		return err
	}
	if f.json {
		return show.Document(a.stdout, view.DecisionsDocument(file, decisions))
	}
	for i := range findings {
		if f.isMany() && !f.yes {
			break // they were listed before somebody said yes
		}
		show.Decided(a.stdout, string(verdict), &findings[i])
		if left := view.Dropped(decisions[i].Dropped); left != "" {
			fmt.Fprintf(a.stdout, "          left out from now on: %s\n", left)
		}
	}
	fmt.Fprintf(a.stdout, "%s in %s\n", show.Count(len(decisions), "decision"), file)
	return nil
}

// addDecisions writes decisions into a file, together with all outputs that are ready.
func (a *app) addDecisions(file string, decisions []decision.Decision, outputs ...*show.Output) (err error) {
	to, err := decision.Append(file)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, to.Close()) }()
	lines, err := to.Lines(decisions)
	if err != nil {
		return err
	}
	a.outputs.Append(to.Path, to.Size(), lines)
	return a.outputs.Commit(outputs...)
}

// decide makes the decisions about findings.
func (f *deciding) decide(findings []finding.Finding, verdict decision.Verdict, who string) (
	decisions []decision.Decision, err error) {
	now := time.Now()
	for i := range findings {
		d := decision.About(&findings[i], verdict, f.reason, who, now)
		if verdict == decision.Drop {
			if d.Dropped, err = decision.Lettered(&findings[i], f.drop); err != nil {
				return nil, err
			}
		}
		if verdict == decision.Keep && len(findings[i].Places) == 0 {
			return nil, option.Errorf("keep", "%s is no double; say --accept", findings[i].ID)
		}
		decisions = append(decisions, d)
	}
	return decisions, nil
}

// decideFrom takes the decisions that somebody has filled in.
func (a *app) decideFrom(ctx context.Context, f *deciding, file string) error {
	who, err := userOf(f.user)
	if err != nil {
		return err
	}
	const memory = 1 << 30
	table, err := source.ReadTable(ctx, f.from, source.Reading{Memory: memory}, '.')
	if err != nil {
		return option.Errorf("from", "%w", err)
	}
	rows := append([][]string{table.Layout.Columns}, table.Rows...)
	have, err := a.found(ctx, f)
	if err != nil {
		return err
	}
	log, err := decision.Read(file)
	if err != nil {
		return err
	}
	decisions, err := review.Decide(rows, append([]int{1}, table.Lines...), have, log, who, time.Now())
	if err != nil {
		return option.Wrong("from", f.from, "%w", err)
	}
	if len(decisions) > 0 {
		if err := a.addDecisions(file, decisions); err != nil {
			return err
		}
	}
	if f.json {
		return show.Document(a.stdout, view.DecisionsDocument(file, decisions))
	}
	if len(decisions) == 0 {
		fmt.Fprintf(a.stdout, "nothing in %s is new to %s\n", f.from, file)
		return nil
	}
	counts := make(map[decision.Verdict]int)
	records := 0
	for i := range decisions {
		counts[decisions[i].Verdict]++
		records += len(decisions[i].Dropped)
	}
	var parts []string
	for _, of := range []decision.Verdict{decision.Accept, decision.Keep, decision.Drop} {
		if n := counts[of]; n > 0 {
			parts = append(parts, fmt.Sprintf("%s to %s", show.Number(n), of))
		}
	}
	text := strings.Join(parts, ", ")
	if records > 0 {
		text += fmt.Sprintf(", by which %s left out", view.AreLeft(records))
	}
	fmt.Fprintf(a.stdout, "%s in %s: %s\n", show.Count(len(decisions), "decision"), file, text)
	return nil
}

// found are the findings that decisions of a sheet may be about: those of --findings, of
// the plan as it is now, or of the last runs.
func (a *app) found(ctx context.Context, f *deciding) ([]finding.Finding, error) {
	switch {
	case f.findings != "":
		have, err := readFindings(f.findings)
		if err != nil {
			return nil, option.Wrong("findings", f.findings, "%w", err)
		}
		return have, nil
	case f.plan != "":
		var lists [][]finding.Finding
		for _, find := range findAgains {
			more, err := again(ctx, find, f.plan)
			if err != nil {
				return nil, err
			}
			lists = append(lists, more)
		}
		return finding.Union(lists...), nil
	}
	return recalled(), nil
}

// findAgain runs a plan once more, for its findings.
type findAgain func(ctx context.Context, plan string, machine int64) ([]finding.Finding, error)

// findAgains are all ways to find something.
var findAgains = []findAgain{month.TieOutAgain, month.DoublesAgain, month.ReconcileAgain,
	month.FormsAgain}

// again are the findings of a plan as it is now, with their options written as flags.
func again(ctx context.Context, find findAgain, plan string) ([]finding.Finding, error) {
	findings, err := find(ctx, plan, machine())
	for i := range findings {
		findings[i].Message = show.Flags(findings[i].Message)
	}
	return findings, err
}

// lookUp finds the findings of some ids.
func (a *app) lookUp(ctx context.Context, f *deciding, ids []string) ([]finding.Finding, error) {
	var have []finding.Finding
	var err error
	if f.findings != "" {
		if have, err = readFindings(f.findings); err != nil {
			return nil, option.Wrong("findings", f.findings, "%w", err)
		}
		return pick(ids, have)
	}
	found, err := pick(ids, recalled())
	if err == nil || f.plan == "" {
		return found, err
	}
	for _, find := range findAgains {
		more, err := again(ctx, find, f.plan)
		if err != nil {
			return nil, err
		}
		have = append(have, more...)
		if found, err := pick(ids, have); err == nil {
			return found, nil
		}
	}
	return pick(ids, have)
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
		return errors.New(text + "; run tieout or doubles first, or say where to look with --plan or --findings FILE")
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

// showDecisions shows what was decided.
func (a *app) showDecisions(f *deciding, file string) error {
	log, err := decision.Read(file)
	if err != nil {
		return err
	}
	if f.json {
		return show.Document(a.stdout, view.DecisionsDocument(file, log.Decisions))
	}
	view.Decisions(a.stdout, file, log)
	return nil
}
