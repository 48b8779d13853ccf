package view

import (
	"fmt"

	"lastblock/core/month"
	"lastblock/show"
)

// Relocation is a plan whose files lie elsewhere.
type Relocation struct {
	*month.Relocation
	Plan      string
	Backup    string // the plan as it was, "" for none
	Rehearsed bool
	Written   bool
}

// Print prints it.
func (r *Relocation) Print(s *show.Screen) {
	counts := make(map[month.Whereabouts]int)
	for i := range r.Files {
		counts[r.Files[i].Whereabouts]++
	}
	fmt.Fprintln(s, s.Bold(fmt.Sprintf("moved from %s to %s: of %s %s there, %s changed, %s missing", r.Old, r.New,
		show.Count(len(r.Files), "sealed file"), show.Number(counts[month.There]), show.Number(counts[month.Other]),
		show.Number(counts[month.Missing]))))
	t := show.Table{Columns: []show.Column{{Name: "file", Key: true}, {Name: "state", Whole: true},
		{Name: "looked for at"}}}
	for i := range r.Files {
		if f := &r.Files[i]; f.Whereabouts != month.There {
			t.Add(f.Name, string(f.Whereabouts), f.Path)
		}
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(s)
		t.Print(s)
	}
	r.printLines(s)
	switch {
	case r.Written && r.Backup != "":
		fmt.Fprintf(s, "\nthe plan is written; as it was it is kept in %s\n", r.Backup)
	case r.Written:
		fmt.Fprintln(s, "\nthe plan needs no change")
	case r.Rehearsed:
		fmt.Fprintln(s, "\nrehearsed: nothing was changed")
	default:
		fmt.Fprintln(s, "\nnothing was changed, since not all files are there; --anyway writes the plan all the same")
	}
}

func (r *Relocation) printLines(s *show.Screen) {
	if len(r.Lines) == 0 {
		return
	}
	fmt.Fprintf(s, "\n%s\n", r.Plan)
	for _, line := range r.Lines {
		fmt.Fprintf(s, "line %d was  %s\n", line.Line, line.Was)
		fmt.Fprintf(s, "%*s  %s\n", len(fmt.Sprintf("line %d was", line.Line)), "now", line.Is)
	}
}

// Document is its JSON.
func (r *Relocation) Document() show.Object {
	d := show.NewDocument("relocate")
	d.Add("old", r.Old)
	d.Add("new", r.New)
	d.Add("written", r.Written)
	if r.Backup != "" {
		d.Add("backup", r.Backup)
	}
	files := []show.Object{}
	for i := range r.Files {
		f := &r.Files[i]
		files = append(files, show.Object{{Name: "name", Value: f.Name}, {Name: "path", Value: f.Path},
			{Name: "state", Value: string(f.Whereabouts)}})
	}
	d.Add("files", files)
	lines := []show.Object{}
	for _, line := range r.Lines {
		lines = append(lines, show.Object{{Name: "line", Value: line.Line}, {Name: "was", Value: line.Was},
			{Name: "is", Value: line.Is}})
	}
	d.Add("lines", lines)
	return d
}
