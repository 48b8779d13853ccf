// Package capability is the floor of what Lastblock can do: a package for each command, which
// takes a set of sources and options and returns a result. None imports another one.
package capability
