package view

import (
	"fmt"
	"io"

	"lastblock/show"
)

// Named is a result of a command as JSON has it: the members of its document, behind the command and
// the version, and the records that it has beside them.
type Named struct {
	Name    string // "" for one without a name
	Members show.Object
	Records func(d *show.DocumentWriter) error // nil for none
}

// SeveralDocument writes the JSON of the results of a command. What a single one has stands at the
// top.
func SeveralDocument(w io.Writer, command string, results []Named) error {
	d := show.StartDocument(w, show.NewDocument(command))
	add := func(d *show.DocumentWriter, r Named, records bool) error {
		for _, m := range r.Members {
			d.Add(m.Name, m.Value)
		}
		if records && r.Records != nil {
			return r.Records(d)
		}
		return nil
	}
	alone := len(results) == 1
	if alone {
		if err := add(d, results[0], true); err != nil {
			return err
		}
	}
	if !alone || results[0].Name != "" {
		err := d.Objects("results", len(results), func(i int, o *show.DocumentWriter) error {
			o.Add("name", results[i].Name)
			return add(o, results[i], !alone)
		})
		if err != nil {
			return err
		}
	}
	return d.Close()
}

// PrintName prints what one of several results is called, above it.
func PrintName(s *show.Screen, i, of int, name string) {
	if of < 2 {
		return
	}
	if i > 0 {
		fmt.Fprintln(s)
	}
	fmt.Fprintf(s, "%s\n", s.Bold(name))
}
