// Package core is where everything is computed, without printing, flags or a terminal. It
// holds nothing itself: its folders are floors, and imports run downwards only. From the
// bottom:
//
//	option      what can be asked of a run, and messages that speak of it
//	record      batches of records over one buffer, layouts, places
//	value       what a value is: amounts, dates, periods, kinds, expressions
//	large       what does not fit into memory, or ends out of order
//	format      how sources are written, one package for each format
//	finding     what was noticed and what becomes of it: decisions, suspense, proof
//	source      finding files, what their names tell, their records' shape, reading on all cores
//	tally       what all that count do alike, and records with one key together
//	capability  one package for each command
//	month       the month end: what is asked of each command, its plan, and drafting one
//
// Capabilities do not import one another; what two of them need moves down.
package core
