package cli

import (
	"fmt"
	"os"
	"slices"

	"lastblock/core/source"
	"lastblock/show"
)

// sourceObject starts the JSON of a source: what it is called, and what its
// name tells.
func sourceObject(set *source.Set, index int) show.Object {
	o := show.Object{{Name: "source", Value: set.Sources[index].Name}}
	for _, word := range set.Words() {
		if value := set.Word(index, word); value != "" {
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

// printPassedOver says what was found and not read, shortly.
func (a *app) printPassedOver(set *source.Set) {
	if len(set.PassedOver) == 0 {
		return
	}
	const most = 10
	fmt.Fprintf(a.stdout, "\n%s\n", a.stdout.Bold("passed over"))
	t := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "reason", Key: true}}}
	for i, p := range set.PassedOver {
		if i == most && len(set.PassedOver) > most+1 {
			t.Add(fmt.Sprintf("… %s more", show.Number(len(set.PassedOver)-most)), "--json lists them all")
			break
		}
		t.Add(p.Source, p.Reason)
	}
	t.Print(a.stdout)
}

// leaveOut takes a file that has another part in the run, such as the control
// sheet, out of the sources.
func (in *input) leaveOut(file string) {
	info, err := os.Stat(file)
	if err != nil {
		return
	}
	in.set.Sources = slices.DeleteFunc(in.set.Sources, func(s source.Source) bool {
		other, err := os.Stat(s.Path)
		same := s.Size == info.Size() && err == nil && os.SameFile(info, other)
		if same {
			in.set.PassedOver = append(in.set.PassedOver, source.PassedOver{Source: s.Name, Reason: "the control sheet"})
		}
		return same
	})
}
