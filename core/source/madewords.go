package source

import (
	"fmt"
	"slices"

	"lastblock/core/source/shape"
	"lastblock/core/value/expression"
)

// makeWords has a column that some shape computes under the name of a word of names, as entity=lowerAscii(entity), be
// there for the sources of all others as well, in which it is what their names tell.
func (s *Search) makeWords() error {
	manners := []*Manner{s.Manner}
	for _, named := range s.Manners {
		manners = append(manners, named.Manner)
	}
	var words, made []string
	for _, m := range manners {
		if m == nil {
			continue
		}
		if m.Name != nil {
			words = append(words, m.Name.Words...)
		}
		if m.Shape != nil {
			for _, of := range m.Shape.Make {
				made = append(made, of.Name)
			}
		}
	}
	made = slices.DeleteFunc(made, func(name string) bool { return !slices.Contains(words, name) })
	slices.Sort(made)
	made = slices.Compact(made)
	if len(made) == 0 {
		return nil
	}
	var err error
	if s.Manner, err = s.Manner.making(made); err != nil {
		return err
	}
	s.Manners = slices.Clone(s.Manners)
	for i := range s.Manners {
		if s.Manners[i].Manner, err = s.Manners[i].making(made); err != nil {
			return err
		}
	}
	return nil
}

// making is a manner whose shape computes columns as what is called so, unless it computes them itself.
func (m *Manner) making(names []string) (*Manner, error) {
	making := new(Manner)
	if m != nil {
		*making = *m
	}
	of := new(shape.Request)
	if making.Shape != nil {
		*of = *making.Shape
	}
	of.Make = slices.Clone(of.Make)
	for _, name := range names {
		if slices.ContainsFunc(of.Make, func(m shape.Make) bool { return m.Name == name }) {
			continue
		}
		x, err := expression.Parse(fmt.Sprintf("column(%q)", name))
		if err != nil {
			return nil, err
		}
		of.Make = append(of.Make, shape.Make{Name: name, Expression: x})
	}
	making.Shape = of
	return making, nil
}
