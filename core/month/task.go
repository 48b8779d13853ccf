package month

import (
	"lastblock/core/option"
)

// Task is one part of a month end, as a plan or a command line asks for it.
type Task interface {
	Name() string         // of its command, and of its table in a plan
	Sources() *Reading    // what it reads
	Options() option.List // its own, besides those of its reading
}

// tasks make each task with what is usual, in the order of the work.
var tasks = []func() Task{
	func() Task { return NewIntake() },
	func() Task { return NewGauge() },
	func() Task { return NewTieOut() },
	func() Task { return NewDoubles() },
	func() Task { return NewCollate() },
	func() Task { return NewRollup() },
	func() Task { return NewReconcile() },
	func() Task { return NewAttach() },
	func() Task { return NewAlign() },
	func() Task { return NewSplit() },
	func() Task { return NewProve() },
}

// Tasks are all tasks with what is usual, in the order of the work.
func Tasks() []Task {
	all := make([]Task, len(tasks))
	for i, make := range tasks {
		all[i] = make()
	}
	return all
}

// AllOptions are a task's own options and those of its reading.
func AllOptions(t Task) option.List { return append(t.Options(), t.Sources().Options()...) }
