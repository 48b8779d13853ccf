package matching

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"

	"lastblock/core/record"
	"lastblock/core/value/equality"
	"lastblock/internal/sourcetest"
)

// listed notes what the takers of a side are given, by place.
type listed struct {
	mutex sync.Mutex
	lines []string
}

func (l *listed) Take(r *Record) error {
	var texts []string
	for _, text := range r.Texts {
		texts = append(texts, string(text))
	}
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.lines = append(l.lines, fmt.Sprintf("%d:%d %s", r.Place.Source(), r.Place.Line(), strings.Join(texts, "|")))
	return nil
}

func readSide(t *testing.T, s *Side) []string {
	t.Helper()
	l := new(listed)
	if err := s.Read(context.Background(), sourcetest.Reading, func() Taker { return l }); err != nil {
		t.Fatal(err)
	}
	slices.Sort(l.lines)
	return l.lines
}

// Records come with the columns of all sources, the words of their names, and amounts
// in their plain form, however the source is written.
func TestSides(t *testing.T) {
	set := sourcetest.Set(t, "{entity}_{period}", map[string]string{
		"corvane_2031-01.csv": "k;v\nA;1.234,50\nB;\n",
		"eskerby_2031-01.csv": "v,k,x\n12.50,C,\"q, \"\"r\"\"\"\n7,D,\n1.2.3,E,bad\n",
	})
	s := &Side{Set: set}
	if err := s.Look(context.Background(), sourcetest.Reading); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(s.Columns, " "); got != "k v x entity period" || s.Data != 3 {
		t.Fatalf("the columns are %s, of which %d are data", got, s.Data)
	}
	v, err := s.Find("v")
	if err != nil || s.ReadAmounts(v) != 0 || s.ReadAmounts(v) != 0 || len(s.Amounts) != 1 {
		t.Fatalf("%v: the amounts are %v", err, s.Amounts)
	}
	want := []string{
		"0:2 A|1234.50||corvane|2031-01", "0:3 B|||corvane|2031-01",
		`1:2 C|12.50|q, "r"|eskerby|2031-01`, "1:3 D|7||eskerby|2031-01",
	}
	if got := readSide(t, s); !slices.Equal(got, want) {
		t.Errorf("they are\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if p := s.Proof(); p.Read != 5 || p.Suspense != 1 || p.Totals[0].Read.String() != "1254.00" {
		t.Errorf("the proof is %+v", p)
	}
	if kind, others := s.Evidence[v].Kind("v"); kind != record.Amount || others != 0 || s.Evidence[v].Scale != 2 {
		t.Errorf("v is taken for %s, with %d others", kind, others)
	}
	// a source's lines stand behind those of the one before, each of which has its own number
	if a, b := s.Number(record.PlaceOf(0, 3)), s.Number(record.PlaceOf(1, 2)); a >= b || b >= s.Lines() {
		t.Errorf("the numbers are %d and %d of %d", a, b, s.Lines())
	}
	if _, err := s.Find("nothing"); err == nil {
		t.Error("a column that is not there is found")
	}
}

// What nobody needs is not taken.
func TestUnusedColumns(t *testing.T) {
	s := &Side{Set: sourcetest.Set(t, "", map[string]string{"a.csv": "k,v,x\nA,1,much\n"})}
	if err := s.Look(context.Background(), sourcetest.Reading); err != nil {
		t.Fatal(err)
	}
	s.Unused = []bool{false, false, true}
	if got := readSide(t, s); !slices.Equal(got, []string{"0:2 A|1|"}) {
		t.Errorf("it is %q", got)
	}
}

func TestKeys(t *testing.T) {
	all := equality.Loose{Blanks: true, Case: true, Zeros: true, Punctuation: true}
	for _, c := range []struct {
		a, b  string // values, with | between them
		loose equality.Loose
		same  bool
	}{
		{"A|1", "A|1", equality.Loose{}, true},
		{"A|1.50", "A|1.5", equality.Loose{}, true},
		{"A|05", "A|5", equality.Loose{}, false},
		{"A|05", "A|5", equality.Loose{Zeros: true}, true},
		{"AB|C", "A|BC", equality.Loose{}, false},
		{"|A", "A|", equality.Loose{}, false},
		{"x-1 A|a", "X1a|A", all, true},
		{"x-1|a", "X2|A", all, false},
	} {
		key := func(values string) string {
			var texts [][]byte
			for _, value := range strings.Split(values, "|") {
				texts = append(texts, []byte(value))
			}
			k := &Key{Columns: []int{0, 1}, Loose: []equality.Loose{c.loose, c.loose}}
			made, blank := k.Clone().Append([]byte("before"), texts, []byte(".."))
			if blank || !strings.HasPrefix(string(made), "before") {
				t.Errorf("%s is blank: %v", values, blank)
			}
			return string(made)
		}
		if same := key(c.a) == key(c.b); same != c.same {
			t.Errorf("%s and %s are the same by %q: %v", c.a, c.b, c.loose, same)
		}
	}
	for values, want := range map[string]bool{" |": true, "|": true, "| x": false} {
		k := &Key{Columns: []int{0, 1}, Loose: make([]equality.Loose, 2)}
		var texts [][]byte
		for _, value := range strings.Split(values, "|") {
			texts = append(texts, []byte(value))
		}
		if _, blank := k.Append(nil, texts, []byte("..")); blank != want {
			t.Errorf("%q is blank: %v", values, blank)
		}
	}
}

// Groups are given whole, in the order of their places, and once more where they are kept.
func TestGroups(t *testing.T) {
	for _, keep := range []bool{false, true} {
		h := NewHeaps(1<<20, 1, 2)
		h.Keep = keep
		dealers := [2]*Dealer{h.Dealer(0), h.Dealer(1)}
		const keys, each = 500, 7
		for i := range keys * each {
			key := fmt.Sprintf("key %d", i%keys)
			r := &Record{Place: record.PlaceOf(i%3, keys*each-i),
				Texts: [][]byte{[]byte(key), []byte(strings.Repeat("x", i%500))}}
			if err := dealers[i/keys%2].Put(r, []byte(key), false, i/keys%2); err != nil {
				t.Fatal(err)
			}
		}
		rounds := 1
		if keep {
			rounds = 2
		}
		for range rounds {
			c := &counter{t: t, seen: make(map[string]int)}
			if err := h.EachGroup(context.Background(), 3, func() Groups { return c }); err != nil {
				t.Fatal(err)
			}
			if len(c.seen) != keys {
				t.Errorf("%d keys are given of %d", len(c.seen), keys)
			}
			for key, n := range c.seen {
				if n != each {
					t.Errorf("%s is given with %d records", key, n)
				}
			}
		}
		if err := h.Close(); err != nil {
			t.Error(err)
		}
	}
}

// counter counts the records of each key.
type counter struct {
	t     *testing.T
	mutex sync.Mutex
	seen  map[string]int
}

func (c *counter) Group(here, there []Item) error {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	key := string(append(slices.Clone(here), there...)[0].Key())
	if c.seen[key] > 0 {
		c.t.Errorf("%s is given twice", key)
	}
	for side, items := range [][]Item{here, there} {
		for i, item := range items {
			if string(item.Key()) != key || item.Side() != side || i > 0 && item.Place() < items[i-1].Place() {
				c.t.Errorf("%s has an item of %q, side %d", key, item.Key(), item.Side())
			}
			c.seen[key]++
		}
	}
	return nil
}

// Whoever cancels is not kept waiting.
func TestGroupsAreCancelled(t *testing.T) {
	h := NewHeaps(1<<20, 1<<20, 1)
	if err := h.Dealer(0).Put(&Record{Texts: [][]byte{[]byte("a")}}, []byte("a"), false, 0); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	c := &counter{t: t, seen: make(map[string]int)}
	if err := h.EachGroup(ctx, 1, func() Groups { return c }); err == nil || len(c.seen) > 0 {
		t.Errorf("it ends with %v after %d groups", err, len(c.seen))
	}
}

// dealt notes what is dealt of records, and what their takers see.
type dealt struct {
	listed
	dealer *Dealer
}

func (d *dealt) Take(r *Record) error {
	d.mutex.Lock()
	d.lines = append(d.lines, string(r.Texts[1]))
	d.mutex.Unlock()
	return d.dealer.Put(r, r.Texts[1], false, 0)
}

func (d *dealt) Group(here, _ []Item) error {
	for _, item := range here {
		texts := make([][]byte, 3)
		item.Texts(texts)
		d.mutex.Lock()
		d.lines = append(d.lines, fmt.Sprintf("%s: %s", texts[1], bytes.Join(texts, []byte{'|'})))
		d.mutex.Unlock()
	}
	return nil
}

// readDealt deals all records of a side, and gives the heaps in which they are and who has taken them.
func readDealt(t *testing.T, s *Side) (*Heaps, *dealt) {
	t.Helper()
	if err := s.Look(context.Background(), sourcetest.Reading); err != nil {
		t.Fatal(err)
	}
	h := NewHeaps(1<<20, 1, 1)
	d := &dealt{dealer: h.Dealer(0)}
	if err := s.Read(context.Background(), sourcetest.Reading, func() Taker { return d }); err != nil {
		t.Fatal(err)
	}
	return h, d
}

// A word of a file's name keeps its quotes beside texts that lose theirs.
func TestQuotesOfWordsAreKept(t *testing.T) {
	var text strings.Builder
	text.WriteString("a,k\n")
	for i := range 2 * mostSampled {
		fmt.Fprintf(&text, "\"text, %d\",k%d\n", i, i)
	}
	s := &Side{Set: sourcetest.Set(t, "{entity}", map[string]string{`"Corvane".csv`: text.String()}), Needed: []int{1}}
	h, d := readDealt(t, s)
	d.lines = nil
	if err := h.EachGroup(context.Background(), 1, func() Groups { return d }); err != nil {
		t.Fatal(err)
	}
	slices.Sort(d.lines)
	want := fmt.Sprintf("k%d: text, %d|k%d|\"Corvane\"", 2*mostSampled-1, 2*mostSampled-1, 2*mostSampled-1)
	if _, ok := slices.BinarySearch(d.lines, want); !ok || len(d.lines) != 2*mostSampled {
		t.Errorf("%d are dealt, and %q is not among them: %q", len(d.lines), want, d.lines[len(d.lines)-1])
	}
	if err := h.Close(); err != nil {
		t.Error(err)
	}
}

// Records are dealt with the texts that they have, wherever one is in quotes.
func TestQuotedTextsAreDealt(t *testing.T) {
	var text strings.Builder
	text.WriteString("a,k,c\n")
	var taken, items []string
	forms := []string{"%s", `"%s"`, `""`, `"%s, ""and"" more"`, "\"%s\non two lines\"", ""}
	for i := range 4 * mostSampled {
		var sent, said [3]string
		for k := range sent {
			form := forms[i*(k+1)/7%len(forms)]
			if k == 1 {
				form = []string{"%s", `"%s"`, `"%s, ""and"" more"`}[i%3]
			}
			sent[k] = strings.ReplaceAll(form, "%s", fmt.Sprintf("text %d", i))
			said[k] = sent[k]
			if strings.HasPrefix(sent[k], `"`) {
				said[k] = strings.ReplaceAll(sent[k][1:len(sent[k])-1], `""`, `"`)
			}
		}
		text.WriteString(strings.Join(sent[:], ",") + "\n")
		taken = append(taken, said[1])
		items = append(items, said[1]+": "+strings.Join(said[:], "|"))
	}
	s := &Side{Set: sourcetest.Set(t, "", map[string]string{"a.csv": text.String()}), Needed: []int{1}}
	h, d := readDealt(t, s)
	check := func(what string, want []string) {
		slices.Sort(d.lines)
		slices.Sort(want)
		if !slices.Equal(d.lines, want) {
			t.Errorf("%d are %s, want %d", len(d.lines), what, len(want))
			for i := range min(len(want), len(d.lines)) {
				if d.lines[i] != want[i] {
					t.Fatalf("the first other one is %q, want %q", d.lines[i], want[i])
				}
			}
		}
		d.lines = nil
	}
	check("taken", taken)
	if err := h.EachGroup(context.Background(), 1, func() Groups { return d }); err != nil {
		t.Fatal(err)
	}
	check("dealt", items)
	if err := h.Close(); err != nil {
		t.Error(err)
	}
}
