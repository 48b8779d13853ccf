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

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/review"
	"lastblock/core/source"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type decideFlags struct {
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
	json      bool
}

func (a *app) decide() *cobra.Command {
	f := new(decideFlags)
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
the plan once more, or from the file that --findings names. --from takes the
decisions from a workbook that doubles --review wrote and somebody filled in.`,
		Example: `  lastblock tieout --plan lastblock-demo/lastblock.toml --findings lastblock-demo/results/findings.csv --replace
  lastblock decide f8126qk9 --accept --reason 'row 18 was cancelled, says Dunmarrow' --plan lastblock-demo/lastblock.toml
  lastblock decide --plan lastblock-demo/lastblock.toml
  lastblock doubles --plan lastblock-demo/april/lastblock.toml --quiet
  lastblock decide 419b2wgy --drop B --reason 'sent twice, says Brackenfell' --plan lastblock-demo/april/lastblock.toml`,
		RunE: func(cmd *cobra.Command, ids []string) error { return a.runDecide(cmd.Context(), f, ids) },
	}
	flags := cmd.Flags()
	flags.BoolVar(&f.accept, "accept", false, "the findings are known, and stop nothing any more")
	flags.BoolVar(&f.keep, "keep", false, "what looks like doubles is all to be counted")
	flags.StringSliceVar(&f.drop, "drop", nil, "which of the doubles are left out, by their letters, e.g. B or B,C")
	flags.BoolVar(&f.reopen, "reopen", false, "an earlier decision does not count any more")
	flags.StringVar(&f.from, "from", "", "take the decisions from a workbook that doubles --review wrote")
	flags.StringVar(&f.reason, "reason", "", "why, in words that somebody else understands in a year")
	flags.StringVar(&f.user, "user", "", "who decides (the user of this machine)")
	flags.StringVar(&f.decisions, "decisions", "", "the file of decisions ("+decisionsName+" beside the plan)")
	flags.StringVar(&f.findings, "findings", "", "where to look the findings up: a file that --findings of tieout or doubles has written")
	flags.StringVar(&f.plan, "plan", "", "the plan of the month end")
	flags.BoolVar(&f.json, "json", false, "print one JSON document instead")
	isFile(cmd, "decisions")
	isFile(cmd, "findings")
	isFile(cmd, "plan")
	isFile(cmd, "from")
	return cmd
}

// verdict is what the flags say is decided, "" for nothing.
func (f *decideFlags) verdict() (verdict decision.Verdict, err error) {
	for _, of := range []struct {
		given   bool
		verdict decision.Verdict
	}{{f.accept, decision.Accept}, {f.keep, decision.Keep}, {len(f.drop) > 0, decision.Drop}, {f.reopen, decision.Reopen}} {
		if !of.given {
			continue
		}
		if verdict != "" {
			return "", fmt.Errorf("--%s: it does not go together with --%s", verdict, of.verdict)
		}
		verdict = of.verdict
	}
	return verdict, nil
}

// decider is who decides.
func (f *decideFlags) decider() (string, error) {
	if f.user != "" {
		return f.user, nil
	}
	current, err := user.Current()
	if err != nil {
		return "", fmt.Errorf("--user: who decides? The machine does not say: %w", err)
	}
	return current.Username, nil
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
	case f.from != "" && (len(ids) > 0 || verdict != "" || f.reason != ""):
		return errors.New("--from: the workbook says what is decided and why; no ID and no decision goes with it")
	case f.from != "":
		return a.decideFrom(ctx, f, file)
	case len(ids) == 0 && verdict != "":
		return fmt.Errorf("--%s: about which findings? Their ids stand behind them in what tieout and doubles print", verdict)
	case len(ids) == 0:
		return a.printDecisions(f, file)
	case verdict == "":
		return errors.New("what is decided? Say --accept, --keep or --drop LETTER, or --reopen to take an earlier decision back")
	case strings.TrimSpace(f.reason) == "":
		return fmt.Errorf("--%s needs --reason TEXT: somebody will ask in a year", verdict)
	}
	who, err := f.decider()
	if err != nil {
		return err
	}
	findings, err := a.lookUp(ctx, f, ids)
	if err != nil {
		return err
	}
	var decisions []decision.Decision
	for i := range findings {
		d := decision.About(&findings[i], verdict, f.reason, who, time.Now())
		if verdict == decision.Drop {
			if d.Dropped, err = dropped(&findings[i], f.drop); err != nil {
				return err
			}
		}
		if verdict == decision.Keep && len(findings[i].Places) == 0 {
			return fmt.Errorf("--keep: %s is no double; say --accept", findings[i].ID)
		}
		decisions = append(decisions, d)
	}
	if err := decision.Append(file, decisions); err != nil {
		return err
	}
	if f.json {
		return show.Document(a.stdout, decisionsDocument(file, decisions))
	}
	for i := range findings {
		show.Decided(a.stdout, string(verdict), &findings[i])
		if left := placesText(decisions[i].Dropped); left != "" {
			fmt.Fprintf(a.stdout, "          left out from now on: %s\n", left)
		}
	}
	fmt.Fprintf(a.stdout, "%s in %s\n", show.Count(len(decisions), "decision"), file)
	return nil
}

// dropped are the places of a finding that are called by some letters.
func dropped(f *finding.Finding, letters []string) ([]decision.Dropped, error) {
	if len(f.Places) == 0 {
		return nil, fmt.Errorf("--drop: %s names nothing that could be left out; only what doubles has found does", f.ID)
	}
	var have []string
	for i := range f.Places {
		have = append(have, f.Places[i].Letter)
	}
	var all []decision.Dropped
	for _, letter := range letters {
		at := slices.Index(have, strings.ToUpper(strings.TrimSpace(letter)))
		if at < 0 {
			return nil, fmt.Errorf("--drop %s: %s has no place of that letter; it has %s", letter, f.ID, strings.Join(have, ", "))
		}
		p := &f.Places[at]
		d := decision.Dropped{Source: p.Source, Sheet: p.Sheet, Line: p.Line, Print: p.Print}
		if !slices.Contains(all, d) {
			all = append(all, d)
		}
	}
	if len(all) == len(f.Places) && f.Kind != finding.TotalOrRecord {
		return nil, fmt.Errorf("--drop %s: nothing of %s would be counted any more; keep one", strings.Join(letters, ","), f.ID)
	}
	return all, nil
}

// decideFrom takes the decisions that somebody has filled in.
func (a *app) decideFrom(ctx context.Context, f *decideFlags, file string) error {
	who, err := f.decider()
	if err != nil {
		return err
	}
	const memory = 1 << 30
	table, err := source.ReadTable(ctx, f.from, source.Reading{Memory: memory}, '.')
	if err != nil {
		return fmt.Errorf("--from %w", err)
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
		return fmt.Errorf("--from %s: %w", f.from, err)
	}
	if len(decisions) > 0 {
		if err := decision.Append(file, decisions); err != nil {
			return err
		}
	}
	if f.json {
		return show.Document(a.stdout, decisionsDocument(file, decisions))
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
	fmt.Fprintf(a.stdout, "%s in %s: %d to keep, %d to drop, by which %s left out\n",
		show.Count(len(decisions), "decision"), file, counts[decision.Keep], counts[decision.Drop], areLeft(records))
	return nil
}

// found are the findings that decisions of a sheet may be about: those of --findings, of
// the plan as it is now, or of the last runs.
func (a *app) found(ctx context.Context, f *decideFlags) ([]finding.Finding, error) {
	switch {
	case f.findings != "":
		have, err := readFindings(f.findings)
		if err != nil {
			return nil, fmt.Errorf("--findings %s: %w", f.findings, err)
		}
		return have, nil
	case f.plan != "":
		have, err := a.doublesAgain(ctx, f.plan)
		if err != nil {
			return nil, err
		}
		more, err := a.tieOutAgain(ctx, f.plan)
		return append(have, more...), err
	}
	return recalled(), nil
}

func areLeft(n int) string {
	if n == 1 {
		return "1 file or record is"
	}
	return show.Number(n) + " files or records are"
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
	for _, again := range []func(context.Context, string) ([]finding.Finding, error){a.tieOutAgain, a.doublesAgain} {
		more, err := again(ctx, f.plan)
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

// tieOutAgain ties out a plan once more, for its findings.
func (a *app) tieOutAgain(ctx context.Context, plan string) ([]finding.Finding, error) {
	flags := new(tieoutFlags)
	if err := a.parseAgain(a.tieoutWith(flags), &flags.reading, plan); err != nil {
		return nil, err
	}
	flags.writing, flags.findings = writing{}, ""
	t, err := a.tieOut(ctx, flags, nil)
	if err != nil {
		return nil, err
	}
	defer t.result.Close()
	return t.result.Findings, nil
}

// doublesAgain looks for the doubles of a plan once more.
func (a *app) doublesAgain(ctx context.Context, plan string) ([]finding.Finding, error) {
	flags := new(doublesFlags)
	if err := a.parseAgain(a.doublesWith(flags), &flags.reading, plan); err != nil {
		return nil, err
	}
	flags.writing, flags.findings, flags.review, flags.keep = writing{}, "", "", ""
	d, err := a.findDoubles(ctx, flags, nil, new(doublesOutputs))
	if err != nil {
		return nil, err
	}
	defer d.result.Close()
	return d.result.Findings, nil
}

// parseAgain gives a command the flags of a plan.
func (a *app) parseAgain(cmd *cobra.Command, r *reading, plan string) error {
	root := a.root()
	for _, c := range root.Commands() {
		if c.Name() == cmd.Name() {
			root.RemoveCommand(c)
		}
	}
	root.AddCommand(cmd)
	if err := cmd.ParseFlags([]string{"--plan", plan, "--quiet"}); err != nil {
		return err
	}
	r.command = cmd.Name()
	return r.usePlan(cmd)
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
		if len(d.Dropped) > 0 {
			places := []show.Object{}
			for _, p := range d.Dropped {
				place := show.Object{{Name: "source", Value: p.Source}}
				if p.Sheet != "" {
					place.Add("sheet", p.Sheet)
				}
				if p.Line > 0 {
					place.Add("line", p.Line)
				}
				places = append(places, place)
			}
			o.Add("dropped", places)
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
		{Name: "line", Right: true}, {Name: "amount", Right: true},
	}}
	drops := slices.ContainsFunc(log.Decisions, func(d decision.Decision) bool { return len(d.Dropped) > 0 })
	if drops {
		t.Columns = append(t.Columns, show.Column{Name: "left out"})
	}
	t.Columns = append(t.Columns, show.Column{Name: "reason"})
	for _, d := range log.Decisions {
		line := ""
		if d.Line > 0 {
			line = fmt.Sprint(d.Line)
		}
		verdict := string(d.Verdict)
		if last, _ := log.Of(d.ID); last.Time != d.Time || last.Verdict != d.Verdict {
			verdict += ", replaced"
		}
		cells := []string{d.ID, verdict, d.Time.Local().Format("2006-01-02 15:04"), d.User, string(d.Kind), d.Source, line, d.Amount}
		if drops {
			cells = append(cells, placesText(d.Dropped))
		}
		t.Add(append(cells, d.Reason)...)
	}
	t.Print(a.stdout)
	return nil
}

// placesText names what is left out.
func placesText(dropped []decision.Dropped) string {
	var parts []string
	for _, d := range dropped {
		part := d.Source
		if d.Line > 0 {
			part += fmt.Sprintf(" line %d", d.Line)
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, ", ")
}
