package view

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"lastblock/core/finding/decision"
	"lastblock/show"
)

// DecisionsDocument is the JSON of decisions in a file.
func DecisionsDocument(file string, decisions []decision.Decision) show.Object {
	doc := show.NewDocument("decide")
	objects := []show.Object{}
	for _, d := range decisions {
		o := show.Object{
			{Name: "time", Value: d.Time.UTC().Format(time.RFC3339)}, {Name: "user", Value: d.User},
			{Name: "decision", Value: string(d.Verdict)},
			{Name: "reason", Value: d.Reason}, {Name: "id", Value: d.ID}, {Name: "kind", Value: string(d.Kind)},
			{Name: "source", Value: d.Source},
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

// Decisions shows what was decided, and which decisions a later one has
// replaced.
func Decisions(s *show.Screen, file string, log *decision.Log) {
	if len(log.Decisions) == 0 {
		fmt.Fprintf(s, "nothing was decided yet in %s\n", file)
		return
	}
	t := show.Table{Columns: []show.Column{
		{Name: "id", Key: true, Whole: true}, {Name: "decision"}, {Name: "time", Whole: true}, {Name: "user"},
		{Name: "kind"}, {Name: "source"},
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
		cells := []string{d.ID, verdict, d.Time.Local().Format("2006-01-02 15:04"), d.User, string(d.Kind), d.Source,
			line, d.Amount}
		if drops {
			cells = append(cells, Dropped(d.Dropped))
		}
		t.Add(append(cells, d.Reason)...)
	}
	t.Print(s)
}

// Dropped names what is left out.
func Dropped(dropped []decision.Dropped) string {
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

// AreLeft counts files or records that are left out, with the verb.
func AreLeft(n int) string {
	if n == 1 {
		return "1 file or record is"
	}
	return show.Number(n) + " files or records are"
}
