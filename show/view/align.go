package view

import (
	"fmt"

	"lastblock/core/capability/align"
	"lastblock/core/source"
	"lastblock/show"
)

// Alignment is an alignment as it is shown.
type Alignment struct {
	*align.Result
	Set *source.Set
	Out string // where it was written, "" for nowhere
}

// PrintPresent says how many keys stand in how many sources.
func (r *Alignment) PrintPresent(s *show.Screen) {
	const most = 10
	all := len(r.Set.Sources)
	t := show.Table{Columns: []show.Column{{Name: "in sources", Right: true, Key: true}, {Name: "keys", Right: true}}}
	if len(r.Present) > 0 && r.Present[0].Sources == all {
		t.Columns = append(t.Columns, show.Column{Name: ""})
	}
	others := 0
	for i, p := range r.Present {
		if i >= most {
			others += p.Keys
			continue
		}
		remark := ""
		if p.Sources == all {
			remark = "all have them"
		}
		t.Add([]string{show.Number(p.Sources), show.Number(p.Keys), remark}[:len(t.Columns)]...)
	}
	if others > 0 {
		t.Add([]string{"fewer", show.Number(others), ""}[:len(t.Columns)]...)
	}
	fmt.Fprintln(s)
	t.Print(s)
}

// Members are those of its JSON.
func (r *Alignment) Members() show.Object {
	doc := show.Object{}
	sources := []show.Object{}
	for i := range r.Set.Sources {
		sources = append(sources, sourceObject(r.Set, i))
	}
	doc.Add("sources", sources)
	var columns []string
	for _, c := range r.Columns {
		columns = append(columns, c.Name)
	}
	doc.Add("columns", columns)
	doc.Add("keys", r.Keys)
	present := []show.Object{}
	for _, p := range r.Present {
		present = append(present, show.Object{{Name: "sources", Value: p.Sources}, {Name: "keys", Value: p.Keys}})
	}
	doc.Add("present", present)
	if r.Out != "" {
		doc.Add("out", r.Out)
	}
	doc.Add("passed_over", passedOver(r.Set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}
