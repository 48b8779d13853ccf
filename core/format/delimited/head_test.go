package delimited

import "testing"

// Lines end in CR where there is no LF and something stands behind a CR, be it the first byte.
func TestHowLinesEnd(t *testing.T) {
	for text, want := range map[string]byte{
		"a,b\n1,2\n": '\n', "a,b\r\n1,2\r\n": '\n', "a,b\r1,2\r": '\r', "\ra,b\r1,2\r": '\r', "a,b\r": '\n', "": '\n',
		"a,\"x\ny\"\r1,2\r3,4\r": '\r',
	} {
		if got, _ := lineEndOf([]byte(text)); got != want {
			t.Errorf("%q ends lines in %q, want %q", text, got, want)
		}
	}
}
