// Package option is what can be asked of a run, in a plan or on a command line: the word of
// each option, what kind of value it takes and what it means, and messages that speak of
// options. How a value is given, as a flag or as a key of a plan, is not known here.
package option
