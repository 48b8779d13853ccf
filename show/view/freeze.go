package view

import (
	"fmt"
	"time"

	"lastblock/core/month"
	"lastblock/show"
)

// Frozen are entities that are frozen.
type Frozen struct {
	All    []*month.Frozen
	New    bool   // the only one was frozen just now
	Undone string // the entity whose files are read again, "" for none
}

// Print prints them.
func (f *Frozen) Print(s *show.Screen) {
	switch {
	case f.Undone != "":
		fmt.Fprintf(s, "the files of %s are read again, and asked for; the copies stay in the folder %s\n", f.Undone,
			month.FrozenFolder)
		return
	case len(f.All) == 0:
		fmt.Fprintln(s, "nothing is frozen")
		return
	}
	for i, e := range f.All {
		if i > 0 {
			fmt.Fprintln(s)
		}
		through := ""
		if last, ok := e.Through(); ok {
			through = " through " + last.String()
		}
		fmt.Fprintln(s, s.Bold(fmt.Sprintf("%s is frozen%s: %s", e.Entity, through, e.Reason)))
		fmt.Fprintf(s, "by %s on %s\n\n", e.User, e.Time.Format(time.DateOnly))
		t := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "period", Whole: true},
			{Name: "rows", Right: true}, {Name: "block", Right: true}, {Name: "kept as"}}}
		for k := range e.Sources {
			source := &e.Sources[k]
			t.Add(source.Source, source.Period, show.Number(source.Rows), fmt.Sprint(source.Block),
				month.FrozenFolder+"/"+source.File)
		}
		t.Print(s)
	}
	if f.New {
		fmt.Fprintln(s, "\nits files are no longer read or asked for; the next close seals this")
	}
}

// Document is their JSON.
func (f *Frozen) Document() show.Object {
	d := show.NewDocument("freeze")
	if f.Undone != "" {
		d.Add("undone", f.Undone)
	}
	all := []show.Object{}
	for _, e := range f.All {
		o := show.Object{{Name: "entity", Value: e.Entity}, {Name: "reason", Value: e.Reason},
			{Name: "user", Value: e.User}, {Name: "time", Value: e.Time.UTC().Format(time.RFC3339)},
			{Name: "sources", Value: e.Sources}}
		all = append(all, o)
	}
	d.Add("frozen", all)
	return d
}
