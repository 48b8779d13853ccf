package reconcile_test

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"lastblock/core/capability/reconcile"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// planted is a pair of sides with a known number of records of each kind.
type planted struct {
	here, there             []string // lines
	agree, differ           int
	onlyHere, onlyThere     int
	ambiguousHere, ambiguos int
	secondPass, combined    int
	totalHere, totalThere   *big.Rat
}

// plant makes two sides. It shares no code with what finds their records again.
func plant(r *rand.Rand) *planted {
	p := &planted{totalHere: new(big.Rat), totalThere: new(big.Rat)}
	number := 0
	add := func(here bool, doc string, day, cents int, party string) {
		written := fmt.Sprintf("%d.%02d", cents/100, cents%100)
		value, _ := new(big.Rat).SetString(written)
		if here {
			p.totalHere.Add(p.totalHere, value)
			p.here = append(p.here, fmt.Sprintf("%s,2031-01-%02d,%s,%s", doc, day, party, written))
			return
		}
		p.totalThere.Add(p.totalThere, value)
		if cents%100 == 0 && r.IntN(2) == 0 {
			written = fmt.Sprint(cents / 100)
		}
		p.there = append(p.there, fmt.Sprintf(`%s,"%s",%02d Jan 2031,%s`, party, written, day, doc))
	}
	doc := func(letter string) string {
		number++
		return fmt.Sprintf("%s%05d", letter, number)
	}
	// amounts that are in no other pass: each has cents of its own below 100,000
	amount := func() int { return 100_000*(1+r.IntN(1000)) + 7*number }
	for range 50 + r.IntN(50) {
		d, c, day := doc("A"), amount(), 1+r.IntN(28)
		add(true, d, day, c, "Eskerby")
		add(false, d, day, c, "Eskerby")
		p.agree++
	}
	for range 5 + r.IntN(10) {
		d, c, day := doc("D"), amount(), 1+r.IntN(28)
		add(true, d, day, c, "Corvane")
		add(false, d, day, c+1+r.IntN(500), "Corvane")
		p.differ++
	}
	for range r.IntN(10) {
		add(true, doc("H"), 1+r.IntN(28), amount(), "Hereonly")
		p.onlyHere++
	}
	for range r.IntN(10) {
		add(false, doc("T"), 1+r.IntN(28), amount(), "Thereonly")
		p.onlyThere++
	}
	for range r.IntN(5) {
		d := doc("M")
		n, m := 2+r.IntN(2), 1+r.IntN(3)
		for range n {
			add(true, d, 1, amount()+r.IntN(50_000), "Many")
		}
		for range m {
			add(false, d, 2, amount()+r.IntN(50_000), "Many too")
		}
		p.ambiguousHere += n
		p.ambiguos += m
	}
	for range 3 + r.IntN(5) { // another document number, and a day later
		c, day := amount(), 1+r.IntN(27)
		add(true, doc("P"), day, c, "Dunmarrow")
		add(false, doc("Q"), day+1, c, "Dunmarrow")
		p.secondPass++
	}
	for i := range 1 + r.IntN(3) { // several that make one, on one side or the other
		party := fmt.Sprintf("Together%d", i)
		side, sum := r.IntN(2) == 0, 0
		for range 2 + r.IntN(3) {
			c := 1_000_000 + r.IntN(90_000_000)
			sum += c
			add(side, doc("S"), 10, c, party)
		}
		add(!side, doc("B"), 10, sum, party)
		p.combined++
	}
	r.Shuffle(len(p.here), func(i, k int) { p.here[i], p.here[k] = p.here[k], p.here[i] })
	r.Shuffle(len(p.there), func(i, k int) { p.there[i], p.there[k] = p.there[k], p.there[i] })
	return p
}

func (p *planted) texts() (here, there string) {
	return "doc,posted,party,amount\n" + strings.Join(p.here, "\n") + "\n", "party,amount,posted,doc\n" +
		strings.Join(p.there, "\n") + "\n"
}

var plantedOptions = reconcile.Options{
	Keys: [][]string{{"doc"}, {"party", "amount", "posted"}}, Days: []reconcile.Days{{Column: "posted", Most: 1}},
	Totals: []string{"amount"}, Combine: 4, CombineWithin: []string{"party"},
}

// Everything that is planted is found, in its pass, and nothing else is.
func TestPlanted(t *testing.T) {
	for seed := range uint64(30) {
		p := plant(rand.New(rand.NewPCG(seed, 6)))
		here, there := p.texts()
		o := run(t, here, there, plantedOptions)
		agree := p.agree + p.secondPass + p.combined
		passes := []int{p.agree + p.differ, p.secondPass, p.combined}
		for i, pass := range o.Passes {
			if pass.Matches != passes[i] {
				t.Errorf("seed %d: pass %d matches %d, want %d", seed, i+1, pass.Matches, passes[i])
			}
		}
		got := [][3]int{}
		for _, s := range reconcile.Statuses() {
			got = append(got, [3]int{o.Counts[s].Matches, o.Counts[s].Here, o.Counts[s].There})
		}
		if got[0][0] != agree || got[1] != [3]int{p.differ, p.differ, p.differ} || got[2][0] != p.onlyHere ||
			got[3][0] != p.onlyThere ||
			got[4][1] != p.ambiguousHere || got[4][2] != p.ambiguos {
			t.Errorf("seed %d: the counts are %v, planted is %+v", seed, got, p)
		}
		lines := o.Statement.Lines
		if total := lines[0].Amounts[0].String(); rat(t, total).Cmp(p.totalHere) != 0 {
			t.Errorf("seed %d: the total per records is %s, want %s", seed, total, p.totalHere.FloatString(2))
		}
		if total := lines[len(lines)-1].Amounts[0].String(); rat(t, total).Cmp(p.totalThere) != 0 {
			t.Errorf("seed %d: the total per reference is %s, want %s", seed, total, p.totalThere.FloatString(2))
		}
		foots(t, &o.Statement)
		if rows := strings.Count(o.rows, "\n"); rows < max(len(p.here), len(p.there)) {
			t.Errorf("seed %d: %d rows are written of %d and %d records", seed, rows, len(p.here), len(p.there))
		}
	}
}

func rat(t testing.TB, text string) *big.Rat {
	t.Helper()
	value, ok := new(big.Rat).SetString(text)
	if !ok {
		t.Fatalf("%q is no amount", text)
	}
	return value
}

// foots adds up the lines of a statement above its last one.
func foots(t testing.TB, s *reconcile.Statement) {
	t.Helper()
	last := s.Lines[len(s.Lines)-1]
	count, sum := 0, new(big.Rat)
	for _, line := range s.Lines[:len(s.Lines)-1] {
		count += line.Count
		if len(line.Amounts) > 0 {
			sum.Add(sum, rat(t, line.Amounts[0].String()))
		}
	}
	if count != last.Count || len(last.Amounts) > 0 && sum.Cmp(rat(t, last.Amounts[0].String())) != 0 {
		t.Errorf("the lines add up to %d and %s, and the last one is %d and %s", count, sum.FloatString(4), last.Count,
			last.Amounts)
	}
}

// Whatever stands on the two sides, every record is told once, every statement foots,
// and with the sides swapped all is mirrored.
func TestRandomSidesFootAndMirror(t *testing.T) {
	for seed := range uint64(80) {
		r := rand.New(rand.NewPCG(seed, 7))
		side := func() (text string, records int, total *big.Rat) {
			records, total = r.IntN(30), new(big.Rat)
			text = "k,g,posted,v\n"
			for range records {
				value := fmt.Sprintf("%d.%02d", r.IntN(40)-20, 5*r.IntN(3))
				if r.IntN(12) == 0 {
					value = ""
				} else {
					total.Add(total, rat(t, value))
				}
				text += fmt.Sprintf("k%d,g%d,2031-01-%02d,%s\n", r.IntN(8), r.IntN(3), 1+r.IntN(5), value)
			}
			return text, records, total
		}
		here, hereCount, hereTotal := side()
		there, thereCount, thereTotal := side()
		options := reconcile.Options{Keys: [][]string{{"k"}}, Totals: []string{"v"}, By: []string{"g"}}
		switch r.IntN(4) {
		case 0:
			options.Keys = append(options.Keys, []string{"v", "posted"})
			options.Days = []reconcile.Days{{Column: "posted", Most: 1}}
			options.Combine = 3
		case 1:
			options.Sum = []string{"v"}
		case 2:
			options.Tolerances = []reconcile.Tolerance{{Column: "v", Within: money("0.50")}}
			options.Keys = append(options.Keys, []string{"v"})
		}
		one, other := run(t, here, there, options), run(t, there, here, options)
		total := one.Statement.Lines[0]
		last := one.Statement.Lines[len(one.Statement.Lines)-1]
		if total.Count != hereCount || last.Count != thereCount ||
			rat(t, total.Amounts[0].String()).Cmp(hereTotal) != 0 ||
			rat(t, last.Amounts[0].String()).Cmp(thereTotal) != 0 {
			t.Errorf("seed %d: from %+v to %+v, want %d %s and %d %s", seed, total, last, hereCount, hereTotal,
				thereCount, thereTotal)
		}
		told := [2]int{}
		for i, c := range one.Counts {
			told[0] += c.Here
			told[1] += c.There
			swapped := other.Counts[i]
			switch reconcile.Status(i) {
			case reconcile.OnlyHere:
				swapped = other.Counts[reconcile.OnlyThere]
			case reconcile.OnlyThere:
				swapped = other.Counts[reconcile.OnlyHere]
			}
			if c.Matches != swapped.Matches || c.Here != swapped.There || c.There != swapped.Here {
				t.Errorf("seed %d: %s is %+v, and swapped %+v\n%s\n%s", seed, reconcile.Status(i), c, swapped, here,
					there)
			}
		}
		if told != [2]int{hereCount, thereCount} {
			t.Errorf("seed %d: %v are told of %d and %d", seed, told, hereCount, thereCount)
		}
		foots(t, &one.Statement)
		for i := range one.Groups {
			foots(t, &one.Groups[i])
		}
	}
}

// With little memory and one core the outcome is the same to the byte.
func TestLittleMemoryGivesTheSame(t *testing.T) {
	p := plant(rand.New(rand.NewPCG(99, 6)))
	here, there := p.texts()
	for range 12 { // beyond what is held at the least
		here += strings.Repeat(fmt.Sprintf("X%d,2031-01-01,%s,1.00\n", len(here), strings.Repeat("x", 3000)), 20)
	}
	writing := reconcile.Writing{Encode: encode, Corrected: encode}
	much := runWith(t, sourcetest.Reading, here, there, plantedOptions, writing)
	little := runWith(t, source.Reading{Jobs: 1, Memory: 1}, here, there, plantedOptions, writing)
	if much.rows != little.rows || much.correctedAs != little.correctedAs ||
		statement(much.Statement) != statement(little.Statement) {
		t.Error("the outcomes differ")
	}
	var messages [2][]string
	for i, o := range []*outcome{much, little} {
		for _, f := range o.Findings {
			messages[i] = append(messages[i], f.ID+f.State+f.Message)
		}
	}
	if !slices.Equal(messages[0], messages[1]) {
		t.Errorf("the findings are\n%s\nand\n%s", strings.Join(messages[0], "\n"), strings.Join(messages[1], "\n"))
	}
}

// Whoever cancels is not kept waiting, and nothing is left behind.
func TestCancelled(t *testing.T) {
	own := t.TempDir()
	t.Setenv("TMPDIR", own)
	here := sourcetest.Set(t, "", map[string]string{"here.csv": "k,v\n" + strings.Repeat("a,1\n", 1000)})
	there := sourcetest.Set(t, "", map[string]string{"there.csv": "k,v\na,1\n"})
	ctx, cancel := context.WithCancel(context.Background())
	sides, err := reconcile.Read(ctx, here, there, sourcetest.Reading,
		reconcile.Options{Keys: [][]string{{"k"}, {"v"}}, Rows: true})
	if err != nil {
		t.Fatal(err)
	}
	cancel()
	if _, err := sides.Match(ctx, reconcile.Writing{Encode: encode}); !errors.Is(err, context.Canceled) {
		t.Errorf("it ends with %v", err)
	}
	if _, err := reconcile.Read(ctx, here, there, sourcetest.Reading,
		reconcile.Options{Keys: [][]string{{"k"}}}); !errors.Is(err, context.Canceled) {
		t.Errorf("reading ends with %v", err)
	}
	for range 2 { // closing what is closed does no harm
		if err := sides.Close(); err != nil {
			t.Error(err)
		}
	}
	if left, err := os.ReadDir(own); err != nil || len(left) > 2 { // the folders of the two sources
		t.Errorf("%v: %d files are left", err, len(left))
	}
}

// Where nothing can be put aside, that is said, with what to do about it.
func TestNoRoomForWhatDoesNotFit(t *testing.T) {
	here := sourcetest.Set(t, "", map[string]string{"here.csv": "k,v\n" +
		strings.Repeat("a,"+strings.Repeat("x", 1000)+"\n", 3000)})
	there := sourcetest.Set(t, "", map[string]string{"there.csv": "k,v\na,1\n"})
	t.Setenv("TMPDIR", "/nothing/there")
	_, err := reconcile.Read(context.Background(), here, there, source.Reading{Jobs: 1, Memory: 1},
		reconcile.Options{Keys: [][]string{{"k"}}})
	if err == nil || !strings.Contains(err.Error(), "TMPDIR names another folder") {
		t.Errorf("it ends with %v", err)
	}
}
