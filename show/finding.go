package show

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/value/amount"

	"github.com/jedib0t/go-pretty/v6/text"
)

// shownPerKind is how many findings of one kind are printed; --json has all.
const shownPerKind = 5

// Findings prints what checks noticed, the weightiest first and what was
// accepted last.
func Findings(s *Screen, findings []finding.Finding) {
	if len(findings) == 0 {
		return
	}
	fmt.Fprintf(s, "\n%s  %s\n", s.Bold("findings"), countByWeight(findings))
	for _, label := range labels {
		var order []group
		groups := make(map[group][]finding.Finding)
		for _, f := range findings {
			if labelOf(&f) == label {
				g := groupOf(&f)
				if groups[g] == nil {
					order = append(order, g)
				}
				groups[g] = append(groups[g], f)
			}
		}
		for _, g := range order {
			printGroup(s, groups[g])
		}
	}
}

// accepted is what a finding is called that somebody has accepted, in place of
// its severity.
const accepted = "accepted"

// labels are what findings are called, in the order in which they are printed.
var labels = []string{string(finding.Stop), string(finding.Review), string(finding.Note), accepted}

func labelOf(f *finding.Finding) string {
	if f.Accepted != "" {
		return accepted
	}
	return string(f.Severity)
}

// group is what is printed together: a kind, and of rules one of them.
type group struct {
	kind finding.Kind
	rule string
}

func groupOf(f *finding.Finding) group {
	if f.Kind == finding.RuleBroken {
		return group{f.Kind, f.Key}
	}
	return group{kind: f.Kind}
}

func countByWeight(findings []finding.Finding) string {
	count := make(map[string]int)
	for _, f := range findings {
		count[labelOf(&f)] += numberOf(f)
	}
	var parts []string
	for _, label := range labels {
		if n := count[label]; n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", Number(n), label))
		}
	}
	return strings.Join(parts, ", ")
}

var labelColours = map[string]text.Colors{
	string(finding.Stop):   {text.Bold, text.FgRed},
	string(finding.Review): {text.Bold, text.FgYellow},
	string(finding.Note):   {text.Faint},
	accepted:               {text.FgGreen},
}

const findingIndent = 10

// printGroup prints the findings of one kind. Neighbours that say the same of
// several places are said once, but for those that stop, and for doubles: each of
// them wants to be decided, by its id.
func printGroup(s *Screen, findings []finding.Finding) {
	if findings[0].Kind == finding.BlankAmount && len(findings) > 1 {
		s.printBlankAmounts(findings)
		return
	}
	shown := 0
	for i := 0; i < len(findings); shown++ {
		f := findings[i]
		if shown == shownPerKind && len(findings)-i > 1 {
			s.printIndented(s.Faint(restOfGroup(findings, i)))
			return
		}
		same := 1
		for f.Severity != finding.Stop && i+same < len(findings) && saysTheSame(&findings[i+same], &f) {
			same++
		}
		printFinding(s, findings[i:i+same])
		i += same
	}
}

// printBlankAmounts says in one line what is true of most months in most columns, so that
// it hides nothing else.
func (s *Screen) printBlankAmounts(findings []finding.Finding) {
	blank, sources := 0, make(map[string]bool)
	var columns []string
	for i := range findings {
		f := &findings[i]
		blank += f.Count
		sources[f.Source] = true
		if !slices.Contains(columns, f.Column) {
			columns = append(columns, f.Column)
		}
	}
	in := Count(len(columns), "column")
	if len(columns) <= shownPlaces {
		in = strings.Join(columns, ", ")
	}
	all := findings[0]
	all.Sheet, all.Column = "", ""
	if len(sources) > 1 {
		all.Source = Count(len(sources), "source")
	}
	all.Message = fmt.Sprintf("%s left blank, in %s; blank is counted as blank, not as zero", Count(blank, "amount"),
		in)
	printFinding(s, []finding.Finding{all})
}

func saysTheSame(a, b *finding.Finding) bool {
	return len(a.Places)+len(b.Places) == 0 && a.Message == b.Message && a.Accepted == b.Accepted &&
		a.Lapsed == b.Lapsed
}

// restOfGroup says how many findings behind the first ones are not printed, and
// what all of them come to.
func restOfGroup(findings []finding.Finding, shown int) string {
	rest, where := 0, "--json lists them all"
	for i := range findings {
		if i >= shown {
			rest += numberOf(findings[i])
		}
		if findings[i].Rest && findings[i].Severity != finding.Note && isOfRecord(findings[i].Kind) {
			where = "--suspense writes all of them"
		}
	}
	text := fmt.Sprintf("… %s more of kind %s", Number(rest), findings[0].Kind)
	if sum, ok := sumOf(findings); ok {
		text += ", together with those above " + sum
	}
	return text + "; " + where
}

// sumOf adds up findings by their amounts, by column where they have several; ok is
// false where one has none, or where some are only counted.
func sumOf(findings []finding.Finding) (text string, ok bool) {
	var single amount.Sum
	var totals finding.Totals
	for i := range findings {
		text, ok := findings[i].Money()
		value, err := amount.Parse([]byte(text), '.')
		if !ok || err != nil || findings[i].Rest {
			return "", false
		}
		single.Add(value)
		totals = totals.Plus(findings[i].Totals)
	}
	if totals == nil {
		return single.Amount().Money(), true
	}
	var parts []string
	for _, total := range totals {
		if total.Amount.Sign() != 0 {
			parts = append(parts, total.Column+" "+total.Amount.Money())
		}
	}
	return strings.Join(parts, ", "), len(parts) > 0
}

// isOfRecord tells whether findings of a kind are about records that are in
// suspense.
func isOfRecord(kind finding.Kind) bool {
	switch kind {
	case finding.BadValue, finding.FieldCount, finding.OpenQuote, finding.StrayQuote:
		return true
	}
	return false
}

// printFinding prints a finding, or several that say the same.
func printFinding(s *Screen, same []finding.Finding) {
	f := same[0]
	where, message := places(same), f.Message
	if sum, ok := sumOf(same); ok && len(same) > 1 {
		message += "; together " + Visible(sum)
	}
	if len(same) == 1 && f.Severity != finding.Note && f.ID != "" {
		where += "  id " + f.ID
	}
	label := s.paint(fmt.Sprintf("%-*s", findingIndent, labelOf(&f)), labelColours[labelOf(&f)]...)
	kind := fmt.Sprintf("%-15s", f.Kind)
	fmt.Fprintf(s, "%s%s  ", label, kind)
	for k, line := range s.wrap(where, findingIndent+len(kind)+gap) {
		if k > 0 {
			fmt.Fprint(s, strings.Repeat(" ", findingIndent+len(kind)+gap))
		}
		fmt.Fprintln(s, line)
	}
	s.printIndented(Visible(message))
	if len(same) == 1 {
		s.printPlaces(&f)
	}
	if f.Accepted != "" {
		s.printIndented("accepted: " + Visible(f.Accepted))
	}
	if f.Lapsed != "" {
		s.printIndented(Visible(f.Lapsed))
	}
}

// shownPlaces is how many places of a finding are printed.
const shownPlaces = 4

// printPlaces prints where the doubles of a finding are, with the letters by which
// one of them can be dropped, and with the values in which they differ.
func (s *Screen) printPlaces(f *finding.Finding) {
	for i := range f.Places {
		p := &f.Places[i]
		if i == shownPlaces && len(f.Places) > shownPlaces+1 {
			s.printIndented(s.Faint(fmt.Sprintf("… %s more places; --json lists them", Number(len(f.Places)-i))))
			return
		}
		text := p.Letter + "  " + place(finding.Finding{Source: p.Source, Sheet: p.Sheet, Line: p.Line})
		var values []string
		for _, column := range slices.Sorted(maps.Keys(p.Values)) {
			value := p.Values[column]
			if value == "" {
				value = "(blank)"
			}
			values = append(values, column+" "+value)
		}
		all := Visible(strings.Join(values, ", "))
		const below = 3 // of the values, where they do not fit beside the place
		if whole := Visible(text) + "  " + all; len(values) > 0 &&
			(s.Width == 0 || findingIndent+textWidth(whole) <= s.Width) {
			s.printIndented(whole)
			continue
		}
		s.printIndented(Visible(text))
		if len(values) > 0 {
			for _, line := range s.wrap(all, findingIndent+below) {
				fmt.Fprintf(s, "%s%s\n", strings.Repeat(" ", findingIndent+below), line)
			}
		}
	}
}

// numberOf is how many findings one stands for.
func numberOf(f finding.Finding) int {
	if f.Rest {
		return f.Count
	}
	return 1
}

// printIndented prints a text below a finding's kind.
func (s *Screen) printIndented(message string) {
	for _, line := range s.wrap(message, findingIndent) {
		fmt.Fprintf(s, "%s%s\n", strings.Repeat(" ", findingIndent), line)
	}
}

// wrap breaks a text into lines that fit beside an indent.
func (s *Screen) wrap(message string, indent int) []string {
	if s.Width > indent {
		message = text.WrapSoft(message, s.Width-indent)
	}
	lines := strings.Split(message, "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return lines
}

// Decided prints what was decided about a finding.
func Decided(s *Screen, verdict string, f *finding.Finding) {
	fmt.Fprintf(s, "%-*s%-15s  %s  id %s\n", findingIndent, verdict, f.Kind, place(*f), f.ID)
	s.printIndented(Visible(f.Message))
}

// Describe says in a line what a finding is about.
func Describe(f *finding.Finding) string {
	return fmt.Sprintf("%s  %s  %s", f.Kind, place(*f), Visible(f.Message))
}

// places says where findings are that say the same: the first places, how many
// more there are, and the last one.
func places(same []finding.Finding) string {
	const most = 3
	n := len(same)
	f := same[0]
	switch {
	case n == 1:
		return place(f)
	case n == 2:
		return place(f) + ", and " + place(same[1])
	}
	lines, told := fmt.Sprintf("lines %d", f.Line), 1
	for told < min(n, most) && f.Line > 0 && f.Severity != finding.Note {
		next := same[told]
		if next.Source != f.Source || next.Sheet != f.Sheet || next.Column != f.Column {
			break
		}
		lines += fmt.Sprintf(", %d", next.Line)
		told++
	}
	text := place(f)
	if told > 1 {
		text = placeOf(f, lines)
	}
	if more := n - told; more > 0 {
		text += fmt.Sprintf(", and %s more up to %s", Number(more), place(same[n-1]))
	}
	return text
}

// place says where a finding is.
func place(f finding.Finding) string {
	if f.Line > 0 && f.Kind != finding.NoSource {
		return placeOf(f, "line "+strconv.Itoa(f.Line))
	}
	return placeOf(f, "")
}

// placeOf is place with what is said of the line, "" for nothing.
func placeOf(f finding.Finding, line string) string {
	var parts []string
	if f.Source != "" {
		parts = append(parts, Visible(f.Source))
	}
	if f.Sheet != "" {
		parts = append(parts, "sheet "+Visible(f.Sheet))
	}
	if line != "" {
		parts = append(parts, line)
	}
	if f.Column != "" {
		parts = append(parts, "column "+Visible(f.Column))
	}
	return strings.Join(parts, ", ")
}

// Proof prints the proof of a result.
func Proof(s *Screen, p *proof.Proof) {
	fmt.Fprintln(s)
	t := Table{Columns: []Column{
		{Name: "proof", Key: true}, {Name: "read", Right: true}, {Name: "= used", Right: true},
		{Name: "+ suspense", Right: true}, {Name: "+ dropped", Right: true},
	}}
	t.Add("records", Number(p.Read), Number(p.Used), Number(p.Suspense), Number(p.Dropped))
	for _, total := range p.Totals {
		t.Add(total.Column, total.Read.Money(), total.Used.Money(), total.Suspense.Money(), total.Dropped.Money())
	}
	t.Print(s)
	leftOut(s, p)
}

// leftOut names what somebody has decided to leave out.
func leftOut(s *Screen, p *proof.Proof) {
	if len(p.Left) == 0 {
		return
	}
	fmt.Fprintln(s)
	t := Table{Columns: []Column{{Name: "left out", Key: true}, {Name: "records", Right: true}}}
	for _, total := range p.Totals {
		t.Columns = append(t.Columns, Column{Name: total.Column, Right: true, Money: true})
	}
	t.Columns = append(t.Columns, Column{Name: "kind"}, Column{Name: "why"})
	for _, l := range p.Left {
		cells := []string{l.Source, Number(l.Records)}
		for _, total := range l.Totals {
			cells = append(cells, total.Money())
		}
		t.Add(append(cells, l.Kind, l.Reason)...)
	}
	t.Print(s)
}

// Count prints a number of things: "1 source", "2 sources".
func Count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return Number(n) + " " + what + "s"
}

// Number prints a whole number with thousands marks.
func Number(n int) string {
	digits, sign := strconv.Itoa(n), ""
	if n < 0 {
		sign, digits = digits[:1], digits[1:]
	}
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return sign + digits
}

// Size prints a number of bytes.
func Size(bytes int64) string {
	const unit = 1000
	if bytes < unit {
		return fmt.Sprintf("%d B", bytes)
	}
	value, prefix := float64(bytes), 0
	for value >= unit && prefix < 4 {
		value /= unit
		prefix++
	}
	return fmt.Sprintf("%.1f %cB", value, " kMGT"[prefix])
}
