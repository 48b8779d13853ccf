// Package value is the floor of what a value is: an exact amount, a date, a period, what kind
// of value a column holds, when two values are equal, what a column's values come to, and what
// an expression makes of them. Nothing here knows of files or records' places.
package value
