package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"lastblock/core/source"
	"lastblock/show"
)

// sourceObject starts the JSON of a source: what it is called, and what its
// name tells.
func sourceObject(set *source.Set, index int) show.Object {
	o := show.Object{{Name: "source", Value: set.Sources[index].Name}}
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
		objects = append(objects, show.Object{{Name: "source", Value: p.Source}, {Name: "reason", Value: p.Reason}})
	}
	return objects
}

// printPassedOver says what was found and not read, a line for each reason.
func (a *app) printPassedOver(set *source.Set) {
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
	fmt.Fprintln(a.stdout)
	t := show.Table{Columns: []show.Column{{Name: "passed over", Key: true}, {Name: "why", Key: true}}}
	for _, reason := range reasons {
		names := byReason[reason]
		text := names[0]
		if more := len(names) - 1; more > 0 {
			text += fmt.Sprintf(" and %s more", show.Number(more))
		}
		t.Add(text, reason)
	}
	t.Print(a.stdout)
}

// leaveOut takes files that have another part in the run, such as the control
// sheet, out of the sources.
func (in *input) leaveOut(reason string, files ...string) {
	paths, sizes := make(map[string]bool), make(map[int64]bool)
	var infos []os.FileInfo
	for _, file := range files {
		if path, err := filepath.Abs(file); err == nil {
			paths[path] = true
		}
		if info, err := os.Stat(file); err == nil {
			infos = append(infos, info)
			sizes[info.Size()] = true
		}
	}
	const few = 100 // of which it is seen, too, that one has several paths
	in.set.Sources = slices.DeleteFunc(in.set.Sources, func(s source.Source) bool {
		path, err := filepath.Abs(s.Path)
		same := err == nil && paths[path]
		if !same && len(infos) <= few && (s.Entry() != "" || sizes[s.Size]) {
			other, err := os.Stat(s.Path)
			same = err == nil && slices.ContainsFunc(infos, func(info os.FileInfo) bool { return os.SameFile(info, other) })
		}
		if same {
			in.set.PassedOver = append(in.set.PassedOver, source.PassedOver{Source: s.Name, Reason: reason})
		}
		return same
	})
}
