package source

import (
	"errors"
	"slices"

	"lastblock/core/decode"
)

// aside says why a source that was found turned out to be no data when it was read. The
// zero value says that it is.
type aside struct {
	own    bool   // an output of Lastblock
	binary string // what it holds in place of text, "" for none
}

func (a aside) passedOver(name string) PassedOver {
	if a.own {
		return PassedOver{Source: name, Reason: OwnOutputReason}
	}
	return PassedOver{Source: name, Reason: "holds " + a.binary + ", and no text", Binary: a.binary}
}

// isNoText notes a source that turned out to hold binary content when it was opened. It is
// then passed over, unless it was named by itself.
func (f *feed) isNoText(index int, err error) bool {
	var binary *decode.BinaryError
	if err == nil || f.set.Sources[index].named || !errors.As(err, &binary) || binary.Table {
		return false
	}
	f.aside[index].binary = binary.What()
	return true
}

// checkAside makes sure that not all that was found holds binary content.
func (s *Set) checkAside(found []aside) error {
	if len(found) == 0 || slices.ContainsFunc(found, func(a aside) bool { return a.binary == "" }) {
		return nil
	}
	return &Error{s.Sources[0].Name, &decode.BinaryError{Kind: found[0].binary}}
}
