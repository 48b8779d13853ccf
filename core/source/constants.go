package source

import "lastblock/core/record"

// constants are the values of names in expressions that no column bears.
func (s *Set) constants(index int, names []string) map[string][]byte {
	if len(names) == 0 {
		return nil
	}
	values := make(map[string][]byte, len(names))
	for _, name := range names {
		switch {
		case name == record.SourceColumn:
			values[name] = []byte(s.Sources[index].Name)
		case s.known(name):
			values[name] = []byte(s.Word(index, name))
		}
	}
	return values
}

// known tells whether a name in an expression is one that every record has.
func (s *Set) known(name string) bool {
	if name == record.SourceColumn {
		return true
	}
	for _, word := range s.Words() {
		if word == name {
			return true
		}
	}
	return false
}
