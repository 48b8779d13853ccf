//go:build !unix

package placing

func isRefused(error) bool { return false }
