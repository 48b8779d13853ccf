package option

import (
	"fmt"
	"strings"
)

// The brackets between which the word of an option stands in a message:
//
//	say it with ⟨encoding⟩
//
// Whoever shows the message puts what the user knows in its place, such as option encoding.
const opening, closing = "⟨", "⟩"

// Mark writes the word of an option as messages have it.
func Mark(word string) string { return opening + word + closing }

// Say writes a message with its options as the user knows them: lead is asked for the one with
// which the message begins, and within for all others.
func Say(text string, lead, within func(word string) string) string {
	var said strings.Builder
	for rest := text; ; {
		before, behind, found := strings.Cut(rest, opening)
		word, after, closed := strings.Cut(behind, closing)
		if !found || !closed || !isWord(word) {
			if !found {
				said.WriteString(rest)
				return said.String()
			}
			said.WriteString(before + opening) // of the text itself
			rest = behind
			continue
		}
		said.WriteString(before)
		if said.Len() == 0 {
			said.WriteString(lead(word))
		} else {
			said.WriteString(within(word))
		}
		rest = after
	}
}

// isWord tells whether a text can be the word of an option.
func isWord(text string) bool {
	for i := range len(text) {
		if c := text[i]; c != '-' && (c < 'a' || c > 'z') {
			return false
		}
	}
	return text != ""
}

// Error is an option that cannot be what was asked for.
type Error struct {
	Word  string
	Value string // that was given, where the reason does not say it
	Err   error  // why
}

func (e *Error) Error() string {
	if e.Value != "" {
		return fmt.Sprintf("%s %s: %v", Mark(e.Word), e.Value, e.Err)
	}
	return fmt.Sprintf("%s: %v", Mark(e.Word), e.Err)
}

func (e *Error) Unwrap() error { return e.Err }

// Errorf makes an *Error of an option.
func Errorf(word, format string, arguments ...any) error {
	return &Error{Word: word, Err: fmt.Errorf(format, arguments...)}
}

// Wrong makes an *Error of the value that an option was given.
func Wrong(word string, value any, format string, arguments ...any) error {
	return &Error{word, fmt.Sprint(value), fmt.Errorf(format, arguments...)}
}
