//go:build !linux

package show

import "errors"

// exchange is not known here.
func exchange(string, string) error { return errors.ErrUnsupported }
