package view

import (
	"fmt"

	"lastblock/core/source"
	"lastblock/show"
)

// addSources writes what all sources are called, a line each, as they may be a hundred thousand.
func addSources(d *show.DocumentWriter, set *source.Set) {
	_ = d.List("sources", func(add func(show.Object)) error {
		var o show.Object
		for i := range set.Sources {
			o = appendSource(o[:0], set, i)
			add(o)
		}
		return nil
	})
}

// sourceObject starts the JSON of a source: what it is called, and what its
// name tells.
func sourceObject(set *source.Set, index int) show.Object { return appendSource(nil, set, index) }

func appendSource(o show.Object, set *source.Set, index int) show.Object {
	o.Add("source", &set.Sources[index].Name)
	if sheet := set.Sources[index].Sheet(); sheet != "" {
		o.Add("sheet", sheet)
	}
	for _, word := range set.Words() {
		if value := set.Word(index, word); value != "" && word != "sheet" {
			o.Add(word, value)
		}
	}
	return o
}

func passedOver(set *source.Set) []show.Object {
	objects := []show.Object{}
	for _, p := range set.PassedOver {
		objects = append(objects, show.Object{{Name: "source", Value: p.Source},
			{Name: "reason", Value: show.Flags(p.Reason)}})
	}
	return objects
}

// printPassedOver says what was found and not read, a line for each reason.
func printPassedOver(s *show.Screen, set *source.Set) {
	if len(set.PassedOver) == 0 {
		return
	}
	var reasons []string
	byReason := make(map[string][]string)
	for _, p := range set.PassedOver {
		if byReason[p.Reason] == nil {
			reasons = append(reasons, p.Reason)
		}
		byReason[p.Reason] = append(byReason[p.Reason], p.Source)
	}
	fmt.Fprintln(s)
	t := show.Table{Columns: []show.Column{{Name: "passed over", Key: true}, {Name: "why", Key: true}}}
	for _, reason := range reasons {
		names := byReason[reason]
		text := names[0]
		if more := len(names) - 1; more > 0 {
			text += fmt.Sprintf(" and %s more", show.Number(more))
		}
		t.Add(text, show.Flags(reason))
	}
	t.Print(s)
}
