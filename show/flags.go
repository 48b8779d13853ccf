package show

import "lastblock/core/option"

// Flag writes the word of an option as its user types it.
func Flag(word string) string { return "--" + word }

// Flags writes a message with its options as flags.
func Flags(message string) string { return option.Say(message, Flag, Flag) }
