package source

import (
	"slices"

	"lastblock/core/option"
)

// Addressed writes a message about sources of the set so that the options in it are those
// which speak of this set: ⟨encoding⟩ becomes ⟨against-encoding⟩.
func (s *Set) Addressed(text string) string {
	if s.Prefix == "" {
		return text
	}
	word := func(word string) string {
		if slices.Contains(ownWords, word) {
			word = s.Prefix + word
		}
		return option.Mark(word)
	}
	return option.Say(text, word, word)
}

// ownWords are the words of the options that each set of sources has of its own.
var ownWords = new(Request).ReferenceOptions().Words()

// addressedError is an error about sources that options with a prefix speak of.
type addressedError struct {
	set *Set
	err error
}

func (e *addressedError) Error() string { return e.set.Addressed(e.err.Error()) }

func (e *addressedError) Unwrap() error { return e.err }

func (s *Set) addressed(err error) error {
	if err == nil || s.Prefix == "" {
		return err
	}
	return &addressedError{s, err}
}
