package view

import (
	"fmt"
	"strings"
	"time"

	"lastblock/core/capability/intake"
	"lastblock/core/month"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/show"
)

// IntakeDocument is the JSON of what arrived, with the first rows of each source where head says
// so.
func IntakeDocument(set *source.Set, head bool, r *intake.Result) show.Object {
	sources := []show.Object{}
	for i := range r.Sources {
		s := &r.Sources[i]
		src := &set.Sources[s.Index]
		o := sourceObject(set, s.Index)
		if src.Size >= 0 {
			o.Add("size", src.Size)
			o.Add("changed", src.Changed().UTC().Format(time.RFC3339))
		}
		o.Add("format", s.Head.Format)
		if !s.Head.Empty && s.Head.Delimiter != 0 {
			if s.Separated != "" {
				o.Add("separated", s.Separated)
			} else {
				o.Add("delimiter", string(s.Head.Delimiter))
			}
			o.Add("decimal", string(s.Decimal))
		}
		if s.Head.Delimiter != 0 {
			o.Add("encoding", s.Encoding)
		}
		if s.Packed != "" {
			o.Add("packed", s.Packed)
		}
		o.Add("header", s.Head.HasHeader())
		o.Add("rows", s.Rows)
		columns := []show.Object{}
		for _, c := range s.Columns {
			columns = append(columns, show.Object{{Name: "column", Value: c.Name}, {Name: "kind", Value: c.Kind}})
		}
		o.Add("columns", columns)
		if s.FirstDate != "" {
			o.Add("first_date", s.FirstDate)
			o.Add("last_date", s.LastDate)
		}
		if head {
			o.Add("head", s.First)
		}
		sources = append(sources, o)
	}
	columns := []show.Object{}
	for _, c := range r.Columns {
		o := show.Object{
			{Name: "column", Value: c.Name}, {Name: "kind", Value: c.Kind}, {Name: "sources", Value: c.Sources},
			{Name: "filled", Value: c.Filled}, {Name: "others", Value: c.Others},
		}
		if c.Code != "" {
			o.Add("code", c.Code)
		}
		columns = append(columns, o)
	}
	doc := show.NewDocument("intake")
	doc.Add("sources", sources)
	doc.Add("columns", columns)
	doc.Add("rows", r.Rows)
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

// delimiterName calls a delimiter by a name that can be read.
func delimiterName(delimiter byte) string {
	switch delimiter {
	case ',':
		return "comma"
	case ';':
		return "semicolon"
	case '\t':
		return "tab"
	case '|':
		return "pipe"
	}
	return fmt.Sprintf("%q", delimiter)
}

// Intake prints what arrived, with the first rows of each source where head says so.
func Intake(s *show.Screen, set *source.Set, t *month.Intake, r *intake.Result) {
	head := t.Head > 0
	printArrived(s, set, t.Each, r)
	if head {
		printHeads(s, set, r)
	}
	printColumns(s, r)
	printPassedOver(s, set)
	show.Findings(s, r.Findings)
	show.Proof(s, &r.Proof)
}

func printArrived(screen *show.Screen, set *source.Set, every bool, r *intake.Result) {
	t := show.Table{Columns: []show.Column{{Name: "source", Key: true}}}
	for _, word := range set.Words() {
		t.Columns = append(t.Columns, show.Column{Name: word})
	}
	t.Columns = append(t.Columns,
		show.Column{Name: "rows", Right: true}, show.Column{Name: "cols", Right: true},
		show.Column{Name: "from – to", Whole: true}, show.Column{Name: "format"},
		show.Column{Name: "size", Right: true}, show.Column{Name: "changed", Whole: true})
	var size int64
	for i := range r.Sources {
		size += max(0, set.Sources[r.Sources[i].Index].Size)
	}
	rows := listed(set, len(r.Sources), func(i int) int { return r.Sources[i].Index }, r.Findings, every)
	for _, i := range rows {
		s := &r.Sources[i]
		src := &set.Sources[s.Index]
		cells := []string{src.Name}
		for _, word := range set.Words() {
			cells = append(cells, set.Word(s.Index, word))
		}
		sizeText, changed := "", ""
		if src.Size >= 0 {
			sizeText, changed = show.Size(src.Size), src.Changed().Format("2006-01-02 15:04")
		}
		t.Add(append(cells, show.Number(s.Rows), show.Number(len(s.Columns)), between(s), writtenWith(s), sizeText,
			changed)...)
	}
	if len(rows) < len(r.Sources) {
		t.Add(append([]string{notListed(len(r.Sources), len(rows))}, make([]string, len(t.Columns)-1)...)...)
	}
	cells := make([]string, len(t.Columns))
	words := len(set.Words())
	cells[0], cells[1+words] = show.Count(len(r.Sources), "source"), show.Number(r.Rows)
	if size > 0 {
		cells[5+words] = show.Size(size)
	}
	t.AddStrong(cells...)
	t.Print(screen)
}

// between is the range of a source's dates, with the year once where it is one.
func between(s *intake.Sheet) string {
	if s.FirstDate == "" {
		return ""
	}
	last := s.LastDate
	if year := last[:len("2031-")]; strings.HasPrefix(s.FirstDate, year) {
		last = last[len(year):]
	}
	return s.FirstDate + " – " + last
}

// writtenWith says in few words how a source is written.
func writtenWith(s *intake.Sheet) string {
	if s.Head.Empty {
		return "nothing"
	}
	text := s.Head.Format
	if s.Head.Delimiter != 0 {
		text = delimiterName(s.Head.Delimiter)
	}
	if s.Separated != "" {
		text = s.Separated // of which reading makes tabs
	}
	if s.Decimal == ',' {
		text += ", decimal comma"
	}
	if s.Encoding != "utf-8" {
		text += ", " + s.Encoding
	}
	if s.Packed != "" {
		text += ", " + s.Packed
	}
	if !s.Head.HasHeader() {
		text += ", no header"
	}
	return text
}

func printHeads(screen *show.Screen, set *source.Set, r *intake.Result) {
	for i := range r.Sources {
		s := &r.Sources[i]
		fmt.Fprintf(screen, "\n%s\n", screen.Bold(show.Visible(set.Sources[s.Index].Name)))
		var t show.Table
		for _, c := range s.Columns {
			t.Columns = append(t.Columns, show.Column{Name: c.Name, Right: c.Kind == record.Amount})
		}
		for _, row := range s.First {
			t.Add(row...)
		}
		t.Print(screen)
	}
}

func printColumns(s *show.Screen, r *intake.Result) {
	fmt.Fprintln(s)
	t := show.Table{Columns: []show.Column{
		{Name: "column", Key: true}, {Name: "kind", Whole: true}, {Name: "in sources", Right: true},
		{Name: "filled", Right: true}, {Name: "remark"},
	}}
	for _, c := range r.Columns {
		var remarks []string
		if c.Sources < len(r.Sources) {
			remarks = append(remarks, "not in "+show.Count(len(r.Sources)-c.Sources, "source"))
		}
		if c.Code != "" {
			remarks = append(remarks, c.Code)
		}
		switch {
		case c.Others == 1:
			remarks = append(remarks, fmt.Sprintf("1 value is no %s", c.Kind))
		case c.Others > 1:
			remarks = append(remarks, fmt.Sprintf("%s values are no %s", show.Number(c.Others), c.Kind))
		}
		t.Add(c.Name, string(c.Kind), show.Number(c.Sources), show.Number(c.Filled), strings.Join(remarks, "; "))
	}
	t.Print(s)
}
