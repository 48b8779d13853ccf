//go:build !amd64

package separators

const hasAVX2 = false

// The assembly is not called here.
func note(data *byte, chunks int, out *uint32, at uint32, s *byte) (n int) { panic("no AVX2") }
func cut(data *byte, chunks int, s *byte)                                  { panic("no AVX2") }
