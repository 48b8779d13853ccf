package show

import (
	"fmt"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/proof"

	"github.com/jedib0t/go-pretty/v6/text"
)

// shownPerKind is how many findings of one kind are printed; --json has all.
const shownPerKind = 5

// Findings prints what checks noticed, the weightiest first.
func Findings(s *Screen, findings []finding.Finding) {
	if len(findings) == 0 {
		return
	}
	fmt.Fprintf(s, "\n%s  %s\n", s.Bold("findings"), countByWeight(findings))
	for _, weight := range []finding.Weight{finding.Stop, finding.Review, finding.Note} {
		var kinds []finding.Kind
		byKind := make(map[finding.Kind][]finding.Finding)
		for _, f := range findings {
			if f.Weight == weight {
				if byKind[f.Kind] == nil {
					kinds = append(kinds, f.Kind)
				}
				byKind[f.Kind] = append(byKind[f.Kind], f)
			}
		}
		for _, kind := range kinds {
			printKind(s, byKind[kind])
		}
	}
}

func countByWeight(findings []finding.Finding) string {
	count := make(map[finding.Weight]int)
	for _, f := range findings {
		count[f.Weight] += numberOf(f)
	}
	var parts []string
	for _, weight := range []finding.Weight{finding.Stop, finding.Review, finding.Note} {
		if n := count[weight]; n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", Number(n), weight))
		}
	}
	return strings.Join(parts, ", ")
}

var weightColours = map[finding.Weight]text.Colors{
	finding.Stop:   {text.Bold, text.FgRed},
	finding.Review: {text.Bold, text.FgYellow},
	finding.Note:   {text.Faint},
}

const findingIndent = 8

// printKind prints the findings of one kind. Neighbours that say the same of
// several places are said once.
func printKind(s *Screen, findings []finding.Finding) {
	shown := 0
	for i := 0; i < len(findings); shown++ {
		f := findings[i]
		if shown == shownPerKind && len(findings)-i > 1 {
			rest, where := 0, "--json lists them all"
			for _, left := range findings[i:] {
				rest += numberOf(left)
				if left.Rest {
					where = "--suspense writes all of them"
				}
			}
			s.printIndented(s.Faint(fmt.Sprintf("… %s more of kind %s; %s", Number(rest), f.Kind, where)))
			return
		}
		same := 1
		for i+same < len(findings) && findings[i+same].Message == f.Message {
			same++
		}
		where := place(f)
		switch {
		case same == 2:
			where += ", and " + place(findings[i+1])
		case same > 2:
			where += fmt.Sprintf(", and %s more up to %s", Number(same-1), place(findings[i+same-1]))
		}
		weight := s.paint(fmt.Sprintf("%-*s", findingIndent, f.Weight), weightColours[f.Weight]...)
		kind := fmt.Sprintf("%-15s", f.Kind)
		fmt.Fprintf(s, "%s%s  ", weight, kind)
		for k, line := range s.wrap(where, findingIndent+len(kind)+gap) {
			if k > 0 {
				fmt.Fprint(s, strings.Repeat(" ", findingIndent+len(kind)+gap))
			}
			fmt.Fprintln(s, line)
		}
		s.printIndented(Visible(f.Message))
		i += same
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

// place says where a finding is.
func place(f finding.Finding) string {
	parts := []string{Visible(f.Source)}
	if f.Sheet != "" {
		parts = append(parts, "sheet "+Visible(f.Sheet))
	}
	if f.Line > 0 && f.Kind != finding.NoSource {
		parts = append(parts, "line "+strconv.Itoa(f.Line))
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
	digits := strconv.Itoa(n)
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return digits
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
