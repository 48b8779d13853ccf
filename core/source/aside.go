package source

import (
	"errors"
	"slices"
	"sync"

	"lastblock/core/format/decode"
)

// aside are the sources that were found and turned out to be no data when they were read.
type aside struct {
	own []bool // outputs of Lastblock; each entry is written by the one goroutine that opens its source

	mutex  sync.Mutex // guards binary
	binary map[int]string
}

func newAside(sources int) *aside { return &aside{own: make([]bool, sources)} }

// isData tells whether a source holds data.
func (a *aside) isData(index int) bool { return !a.own[index] && a.binary[index] == "" }

// isNone tells whether all sources hold data.
func (a *aside) isNone() bool { return len(a.binary) == 0 && !slices.Contains(a.own, true) }

// nothingElse tells whether no source holds data.
func (a *aside) nothingElse() bool {
	for i := range a.own {
		if a.isData(i) {
			return false
		}
	}
	return len(a.own) > 0
}

// check makes sure that not all that was found holds binary content.
func (a *aside) check(s *Set) error {
	if n := len(a.own); n == 0 || len(a.binary) < n {
		return nil
	}
	return &Error{s.Sources[0].Name, &decode.BinaryError{Kind: a.binary[0]}}
}

func (a *aside) passedOver(s *Set, index int) PassedOver {
	name := s.Sources[index].Name
	if kind := a.binary[index]; kind != "" {
		return PassedOver{Source: name, Reason: "holds " + kind + ", and no text", Binary: kind}
	}
	return PassedOver{Source: name, Reason: OwnOutputReason}
}

// isNoText notes a source that turned out to hold binary content when it was opened. It is
// then passed over, unless it was named by itself.
func (f *feed) isNoText(index int, err error) bool {
	if err == nil {
		return false
	}
	var binary *decode.BinaryError
	if !errors.As(err, &binary) || binary.Table || f.set.isNamed(index) {
		return false
	}
	f.aside.mutex.Lock()
	defer f.aside.mutex.Unlock()
	if f.aside.binary == nil {
		f.aside.binary = make(map[int]string)
	}
	f.aside.binary[index] = binary.What()
	return true
}
