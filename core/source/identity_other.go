//go:build !unix

package source

import "io/fs"

// numberOf is nothing where files bear no numbers that can be had at no cost.
func numberOf(fs.FileInfo) (device, number uint64) { return 0, 0 }
