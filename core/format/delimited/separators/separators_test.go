package separators

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// found is what both functions tell of a text.
type found struct {
	Found
	end          int
	regularToEnd bool
}

func find(r Rule, data []byte) (f found) {
	f.Found = r.Note(nil, data)
	f.end, f.regularToEnd = r.Cut(data)
	return f
}

// bothWays finds with the assembly and without it, and makes sure that both find the same.
func bothWays(t *testing.T, r Rule, data []byte) found {
	t.Helper()
	now := find(r, data)
	if hasAVX2 {
		hasAVX2 = false
		portable := find(r, data)
		hasAVX2 = true
		if fmt.Sprint(now) != fmt.Sprint(portable) {
			t.Errorf("%+v of %q finds\n%+v with assembly and\n%+v without", r, data, now, portable)
		}
	}
	return now
}

// byByte reads as RFC 4180 has it, one byte after the other.
func byByte(r Rule, data []byte) (f found) {
	const (
		begin = iota // of a field
		plain
		quoted
		closed
		returned // a carriage return behind a closed quote
	)
	f.Regular, f.regularToEnd, f.Needed = true, true, true
	state, needed := begin, false
	for i, c := range data {
		isQuote, isEnd := r.Quotes && c == '"', c == r.LineEnd
		if state == quoted && !isQuote {
			needed = needed || c == r.Delimiter || isEnd
			continue
		}
		next := plain
		switch {
		case state == quoted:
			next = closed
			f.Needed = f.Needed && needed
		case isQuote && (state == begin || state == closed):
			next, needed = quoted, false
		case state == closed && c == '\r' && r.LineEnd == '\n':
			next = returned
		case isEnd || c == r.Delimiter && state != returned:
			next = begin
		case isQuote, state == closed, state == returned:
			f.Regular, f.regularToEnd = false, false
			return f
		}
		if next == begin {
			f.Places = append(f.Places, uint32(i))
		}
		if next == begin && isEnd {
			f.Lines, f.end = f.Lines+1, i+1
		}
		state = next
	}
	f.Regular = state != quoted
	return f
}

func check(t *testing.T, r Rule, text string) {
	t.Helper()
	got, want := bothWays(t, r, []byte(text)), byByte(r, []byte(text))
	if got.Regular != want.Regular {
		t.Fatalf("%+v: regular is %v of %q", r, got.Regular, text)
	}
	if want.Regular && (!slices.Equal(got.Places, want.Places) || got.Lines != want.Lines) {
		t.Errorf("%+v of %q: separators %v, %d line ends; want %v, %d", r, text, got.Places, got.Lines, want.Places,
			want.Lines)
	}
	if want.Regular && got.Needed != want.Needed {
		t.Errorf("%+v of %q: quotes are needed: %v", r, text, got.Needed)
	}
	if got.Returns != strings.Contains(text, "\r") {
		t.Errorf("%+v of %q: carriage returns are seen: %v", r, text, got.Returns)
	}
	if got.regularToEnd != want.regularToEnd || want.regularToEnd && got.end != want.end {
		t.Errorf("%+v of %q is cut at %d, %v; want %d, %v", r, text, got.end, got.regularToEnd, want.end,
			want.regularToEnd)
	}
}

var comma = Rule{Delimiter: ',', LineEnd: '\n', Quotes: true}

// What stands at the end of a chunk of 64 bytes, or of a stretch of 4,096, tells how the next one begins.
func TestAcrossChunks(t *testing.T) {
	for _, size := range []int{0, 62, 63, 64, 65, 126, 127, 128, 129, 4093, 4094, 4095, 4096, 4097, 8191, 8193} {
		for _, text := range []string{`"a,b",c`, `"a""b",c`, "\"a\nb\"\r\nc", `"",""`, "\"\"\n\"\"\n",
			"\"a\"\rb", `"a"b,c`, `a"b`, `"a`, "\"a\"\r", `""""`} {
			for back := range len(text) + 1 {
				for _, before := range []string{"x", ",", "\n"} {
					check(t, comma, strings.Repeat(before, max(0, size-back-1))+","+text)
				}
				inside := strings.Repeat("x", max(0, size-back-1)) // of quotes, of which one opens far before
				check(t, comma, `"`+inside+`"`+text)
				check(t, comma, `"`+inside+`,"`+text)
				check(t, comma, "\"\n"+inside+"\"\n"+text)
			}
		}
	}
}

func TestDialects(t *testing.T) {
	for _, r := range []Rule{{';', '\n', true}, {'\t', '\r', true}, {',', '\n', false}, {0, '\n', true},
		{0xe4, '\n', true}} {
		d, e := string(rune(r.Delimiter)), string(r.LineEnd)
		if r.Delimiter >= 0x80 {
			d = "\xe4"
		}
		line := "a" + d + `"b` + d + e + `c"` + d + "\x00\xff" + e
		check(t, r, strings.Repeat(line, 100)+"x"+d)
	}
}

// The bytes that mean something come in any order, at any place of a chunk.
func TestAnyOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 1))
	for range 3000 {
		text := make([]byte, r.IntN(300))
		alphabet := []string{`",` + "\n\rab", `"",,` + "\n", `"a,`, "a,\n"}[r.IntN(4)]
		for i := range text {
			text[i] = alphabet[r.IntN(len(alphabet))]
		}
		check(t, comma, string(text))
	}
}

// A text that is all separators needs a place for each byte.
func TestRoom(t *testing.T) {
	found := comma.Note(make([]uint32, 0, 1), bytes.Repeat([]byte("\n"), 10_000))
	if len(found.Places) != 10_000 || found.Lines != 10_000 || !found.Regular || found.Places[9999] != 9999 {
		t.Errorf("%d places, %d lines, %v", len(found.Places), found.Lines, found.Regular)
	}
}

// FuzzNote holds the assembly and the Go code against a reading byte by byte and, of texts without carriage returns,
// against the standard library's reader.
func FuzzNote(f *testing.F) {
	for _, text := range []string{"a,b\n1,\"2\"\n", "\"a\"\"b\",c\r\n", "\"a\nb\"", "a\"b,c\n", "\"a\"b\n",
		strings.Repeat("abc,\"d,e\"\n", 20)} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		check(t, comma, text)
		check(t, Rule{Delimiter: ',', LineEnd: '\r', Quotes: true}, text)
		check(t, Rule{Delimiter: 'a', LineEnd: '\n'}, text)
		if strings.Contains(text, "\r") {
			return
		}
		text += "\n"
		got := find(comma, []byte(text))
		reader := csv.NewReader(strings.NewReader(text))
		reader.FieldsPerRecord = -1
		records, err := reader.ReadAll()
		if (err == nil) != got.Regular {
			t.Fatalf("regular is %v of %q, and the standard library says %v", got.Regular, text, err)
		}
		if err == nil && fmt.Sprint(records) != fmt.Sprint(recordsOf(text, got.Places)) {
			t.Errorf("%q is %q, and by the standard library %q", text, recordsOf(text, got.Places), records)
		}
	})
}

// recordsOf cuts a text into records, without blank lines.
func recordsOf(text string, places []uint32) (records [][]string) {
	var record []string
	from := uint32(0)
	for _, at := range places {
		field := text[from:at]
		if strings.HasPrefix(field, `"`) {
			field = strings.ReplaceAll(field[1:len(field)-1], `""`, `"`)
		}
		record = append(record, field)
		if text[at] == '\n' {
			if len(record) > 1 || at > from {
				records = append(records, record)
			}
			record = nil
		}
		from = at + 1
	}
	return records
}

func BenchmarkNote(b *testing.B) {
	data := bytes.Repeat(
		[]byte("D00000001,1,2031-01-15,Corvane,4000,Eskerby,\"Day pass 12, morning\",17.20,0.00,EUR,U07\n"),
		3000,
	)
	var places []uint32
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		places = comma.Note(places[:0], data).Places
	}
}

func BenchmarkCut(b *testing.B) {
	data := bytes.Repeat(
		[]byte("D00000001,1,2031-01-15,Corvane,4000,Eskerby,\"Day pass 12, morning\",17.20,0.00,EUR,U07\n"),
		3000,
	)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		comma.Cut(data)
	}
}
