package cli

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// checkResults holds the files of results against what they come to.
func (w *world) checkResults(m sealedMonth) {
	w.t.Helper()
	for result, given := range m.given {
		rows := readCSV(w.t, filepath.Join(w.dir, "results", periodName(m.period), result+".csv"), ',')
		got := make(map[string]int64)
		for _, row := range rows[1:] {
			switch {
			case result == "grid":
				for k, column := range rows[0][1:] {
					if row[0] != "total" && column != "year" {
						got[row[0]+" "+column] += w.cents(row[k+1])
					}
				}
			case strings.HasPrefix(row[0], "Total"):
			case result == "made":
				got[row[0]+" "+row[1]] += w.cents(row[2])
			default:
				entity := strings.ToLower(row[0])
				if _, twice := got[entity]; twice {
					w.t.Fatalf("seed %d: %s has two rows of %s", w.seed, result, entity)
				}
				got[entity] = w.cents(row[1])
			}
		}
		if want := groups(given); !maps.Equal(want, got) {
			w.t.Fatalf("seed %d: %s of %s is\n%v, want\n%v", w.seed, result, periodName(m.period), got, want)
		}
	}
}

func (w *world) cents(text string) int64 {
	w.t.Helper()
	whole, part, _ := strings.Cut(text, ".")
	n, err := strconv.ParseInt(whole+(part + "00")[:2], 10, 64)
	if err != nil {
		w.t.Fatalf("seed %d: %q is no amount", w.seed, text)
	}
	return n
}

// checkBridges holds the bridge of each result, line by line, against what each source gave before and gives now.
func (w *world) checkBridges(bridges []bridgeOf, was, is sealedMonth) {
	w.t.Helper()
	for result := range is.given {
		want := make(map[string]int64)
		for source, by := range is.given[result] {
			for _, value := range by {
				want[source] += value
			}
		}
		for source, by := range was.given[result] {
			for _, value := range by {
				want[source] -= value
			}
		}
		maps.DeleteFunc(want, func(_ string, by int64) bool { return by == 0 })
		got, found := make(map[string]int64), false
		for _, b := range bridges {
			if b.Result != result || len(b.Group) > 0 {
				continue
			}
			found = true
			for _, l := range b.Lines {
				switch l.Label {
				case "sealed":
					if w.cents(l.Amount) != total(was.given[result]) {
						w.t.Fatalf("seed %d: the bridge of %s begins with %s, want %s", w.seed, result, l.Amount,
							cents(total(was.given[result])))
					}
				case "now":
				default:
					got[l.Source] += w.cents(l.Amount)
				}
			}
		}
		// What a decision has changed of sources that are the same stands in one line without a source.
		if decided, ok := got[""]; ok {
			for source, by := range want {
				if _, told := got[source]; !told {
					decided -= by
					delete(want, source)
				}
			}
			if delete(got, ""); decided != 0 {
				w.t.Fatalf("seed %d: of the bridge of %s %s is not told", w.seed, result, cents(decided))
			}
		}
		if found && !maps.Equal(want, got) {
			w.t.Fatalf("seed %d: the bridge of %s of %s is\n%v, want\n%v", w.seed, result, periodName(is.period), got,
				want)
		}
	}
}

// checkTrace traces a figure of some block, and holds its records, with their lines, against what that has sealed.
func (w *world) checkTrace() {
	w.t.Helper()
	n := w.r.IntN(len(w.blocks))
	m := w.blocks[n]
	result := []string{"plain", "made", "some"}[w.r.IntN(3)]
	of := slices.Sorted(maps.Keys(groups(m.given[result])))
	group := of[w.r.IntN(len(of))]
	words := []string{"entity=" + strings.ToUpper(group)}
	if result == "made" {
		account, period, _ := strings.Cut(group, " ")
		words = []string{"account=" + account, "period=" + strings.ReplaceAll(period, "-", "")}
	}
	out := filepath.Join(w.dir, "traced.csv")
	args := append([]string{"trace"}, words...)
	var o struct {
		Amount    string
		As_sealed bool
	}
	w.decode(w.must(append(args, "--named", result, "--block", strconv.Itoa(n+1), "--json", "--all", "--out", out,
		"--replace")...), &o)
	want := groups(m.given[result])[group]
	if w.cents(o.Amount) != want || !o.As_sealed {
		w.t.Fatalf("seed %d: %v of %s in block %d is %+v, want %s", w.seed, words, result, n+1, o, cents(want))
	}
	data, err := os.ReadFile(out)
	if err != nil {
		w.t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	if err != nil {
		w.t.Fatal(err)
	}
	column := func(name string) int { return slices.Index(rows[0], name) }
	sum := int64(0)
	for _, row := range rows[1:] {
		at := map[string]string{"made": "twice"}[result]
		if at == "" {
			at = "amount"
		}
		sum += w.cents(row[column(at)])
		if at := row[column("source")] + " " + row[column("source_line")] + " " + row[column("doc")]; !m.lines[at] {
			w.t.Fatalf("seed %d: %s is no record that block %d has used", w.seed, at, n+1)
		}
	}
	if sum != want {
		w.t.Fatalf("seed %d: the records of %v of %s in block %d come to %s, want %s", w.seed, words, result, n+1,
			cents(sum), cents(want))
	}
}

// checkHistory holds a figure in all blocks, and what each has changed, against what they have sealed.
func (w *world) checkHistory() {
	w.t.Helper()
	entity := w.entities[w.r.IntN(len(w.entities))]
	var o struct {
		Blocks []struct {
			Block  int
			Figure struct{ Amount, Change string }
		}
	}
	stdout, _, code := w.run("history", "entity="+strings.ToUpper(entity), "--named", "plain", "--json")
	if code != ExitDone {
		for _, m := range w.blocks {
			if _, has := groups(m.given["plain"])[entity]; has {
				w.t.Fatalf("seed %d: history of %s ends with %d", w.seed, entity, code)
			}
		}
		return
	}
	w.decode(stdout, &o)
	for i, b := range o.Blocks {
		m := w.blocks[i]
		before := world{blocks: w.blocks[:i]}
		change := groups(m.given["plain"])[entity]
		if at := before.since(m.period); at >= 0 {
			change -= groups(w.blocks[at].given["plain"])[entity]
		}
		if w.cents(b.Figure.Amount) != groups(m.given["plain"])[entity] || w.cents(b.Figure.Change) != change {
			w.t.Fatalf("seed %d: in block %d %s is %+v, want %s and a change of %s", w.seed, i+1, entity, b.Figure,
				cents(groups(m.given["plain"])[entity]), cents(change))
		}
	}
}

// checkStands holds the sources of the newest block, which stand in it and in earlier ones, against what it shows, and
// makes sure that none is written again that is as the newest block has it that has it.
func (w *world) checkStands() {
	w.t.Helper()
	all := blockFiles(w.t, w.dir)
	last := &all[len(all)-1]
	named := func(s map[string]any) string { return fmt.Sprint(s["source"], " of ", s["of"]) }
	newest := make(map[string]string) // what the newest earlier block says
	for i := range all[:len(all)-1] {
		for _, s := range all[i].Sources {
			newest[named(s)] = saysOf(s)
		}
	}
	var own []string
	for _, s := range last.Sources {
		if own = append(own, named(s)); newest[named(s)] == saysOf(s) {
			w.t.Fatalf("seed %d: block %d has %s again, as an earlier one has it: %v", w.seed, last.Number, named(s), s)
		}
	}
	var o struct {
		Blocks []struct {
			Sealed struct{ Sources []map[string]any }
		}
	}
	w.decode(w.must("history", "--block", strconv.Itoa(last.Number), "--json"), &o)
	shown := o.Blocks[0].Sealed.Sources
	if len(shown) != last.Count {
		w.t.Fatalf("seed %d: block %d has %d sources, and says %d", w.seed, last.Number, len(shown), last.Count)
	}
	for _, s := range shown {
		if !slices.Contains(own, named(s)) && newest[named(s)] != saysOf(s) {
			w.t.Fatalf("seed %d: block %d shows %v, and the newest one has %s", w.seed, last.Number, s,
				newest[named(s)])
		}
	}
}

// saysOf is all that a block says of a source, but for which block has its records and where its columns stand.
func saysOf(s map[string]any) string {
	s = maps.Clone(s)
	delete(s, "retained")
	delete(s, "layout")
	return fmt.Sprint(s)
}
