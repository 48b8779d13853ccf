package sheet

// plainByte tells which bytes stand in a value or a text as they are meant: those of ASCII but for references, ends of
// lines, quotes, tags, and ] as it may begin what ends CDATA.
var plainByte = func() (plain [256]bool) {
	for c := ' '; c < 0x7f; c++ {
		plain[c] = c != '&' && c != '<' && c != '"' && c != ']'
	}
	return plain
}()

// PlainEnd is where the bytes of b end, from a place on, that stand in a value or a text of XML as they are meant. For
// those who read Rest.
func PlainEnd(b []byte, from int) int {
	for from < len(b) && plainByte[b[from]] {
		from++
	}
	return from
}
