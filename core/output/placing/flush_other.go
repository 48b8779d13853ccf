//go:build !linux

package placing

import "errors"

func flushAll(string) error { return errors.ErrUnsupported }
