package doubles

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// planter makes files in which every double is planted, and knows what has to be
// told of them. It shares nothing with what finds them.
type planter struct {
	r     *rand.Rand
	files map[string]string
	names []string
	next  int
	want  []string
}

// voucher is a record; cents are hundredths.
type voucher struct {
	doc   string
	day   int
	party string
	text  string
	cents int
}

// fresh makes vouchers that are like no others: their numbers are ten apart in
// every digit but the last three, and their amounts differ by more than a unit.
func (p *planter) fresh(n int) []voucher {
	parties := []string{"Corvane", "Eskerby", "Dunmarrow"}
	var all []voucher
	for range n {
		p.next++
		text := fmt.Sprintf("Pass %d", p.r.IntN(50))
		switch p.r.IntN(6) {
		case 0:
			text = ""
		case 1:
			text = "Cable; \"upper\" station,\nwinter"
		}
		all = append(all, voucher{fmt.Sprintf("N%06d", p.next*1117), p.r.IntN(28) + 1, parties[p.next%3], text,
			1000_00 + p.next*731})
	}
	return all
}

// dress writes vouchers in one of several ways; each gives other bytes.
func (p *planter) dress(vouchers []voucher, dress int) string {
	var b strings.Builder
	quote := func(text string) string { return `"` + strings.ReplaceAll(text, `"`, `""`) + `"` }
	switch dress {
	case 0:
		b.WriteString("doc,day,party,text,amount\n")
		for _, v := range vouchers {
			fmt.Fprintf(&b, "%s,2031-01-%02d,%s,%s,%d.%02d\n", v.doc, v.day, v.party, quote(v.text), v.cents/100,
				v.cents%100)
		}
	case 1:
		b.WriteString("amount;text;party;day;doc\r\n")
		for _, v := range vouchers {
			fmt.Fprintf(&b, "%d,%02d;%s;%s;%02d Jan 2031;%s\r\n", v.cents/100, v.cents%100, quote(v.text), v.party,
				v.day, v.doc)
		}
	case 2:
		b.WriteString("[")
		for i, v := range vouchers {
			if i > 0 {
				b.WriteString(",")
			}
			fmt.Fprintf(&b, `{"doc":%q,"amount":%d.%02d0,"day":"2031-01-%02d","text":%q,"party":%q}`, v.doc,
				v.cents/100, v.cents%100, v.day, v.text, v.party)
		}
		b.WriteString("]")
	}
	return b.String()
}

// file plants a file and returns its name.
func (p *planter) file(vouchers []voucher, dress int) string {
	name := fmt.Sprintf("f%03d.%s", len(p.names), []string{"csv", "txt", "json"}[dress])
	p.names = append(p.names, name)
	p.files[name] = p.dress(vouchers, dress)
	return name
}

func (p *planter) shuffled(vouchers []voucher) []voucher {
	other := slices.Clone(vouchers)
	p.r.Shuffle(len(other), func(i, k int) { other[i], other[k] = other[k], other[i] })
	return other
}

// plant plants rounds of every kind.
func plant(seed uint64, rounds int) *planter {
	p := &planter{r: rand.New(rand.NewPCG(seed, 31)), files: make(map[string]string)}
	for range rounds {
		size := 20 + p.r.IntN(40)
		v := p.fresh(size)
		p.file(p.fresh(size), p.r.IntN(3)) // nothing in it is double

		one := p.file(v, 0)
		p.want = append(p.want, "same-file "+one+" "+p.file(v, 0))

		v = p.fresh(size)
		one = p.file(v, 2)
		p.want = append(p.want, "same-file "+one+" "+p.file(p.shuffled(v), p.r.IntN(2)))

		v = p.fresh(size)
		one = p.file(v, p.r.IntN(3))
		p.want = append(p.want, "contained-file "+p.file(p.shuffled(v)[:size/2], p.r.IntN(3))+" "+one)

		v = p.fresh(2 * size)
		one = p.file(v[:size+5], p.r.IntN(3))
		p.want = append(p.want, "overlap "+one+" "+p.file(v[size-5:], p.r.IntN(3)))

		v = p.fresh(2 * size)
		one = p.file(append(v[:size:size], p.fresh(60)...), 0)
		other := p.file(append(v[size:], p.fresh(60)...), 1)
		p.want = append(p.want, "contained-file "+p.file(append(v[:size:size], v[size:]...), 0)+" "+one+" "+other)

		// one record in two files, and one twice in a file
		v = p.fresh(100)
		one = p.file(v, 0)
		other = p.file(append(p.fresh(60), v[7]), 1)
		p.want = append(p.want, "same-record "+one+" "+other)
		twice := p.fresh(60)
		one = p.file(append(twice, twice[3]), 0)
		p.want = append(p.want, "same-record "+one+" "+one)

		// one key with other values, across and within
		v = p.fresh(60)
		changed := v[11]
		changed.cents += 5_00
		one = p.file(v, 0)
		p.want = append(p.want, "same-key "+one+" "+p.file(append(p.fresh(60), changed), 1))

		// almost the same, in each of the ways
		for _, change := range []func(v *voucher){
			func(v *voucher) { v.doc = v.doc[:5] + v.doc[6:7] + v.doc[5:6] + v.doc[7:]; v.day = v.day%27 + 2 },
			func(v *voucher) { v.doc += "A"; v.cents++ },
			func(v *voucher) { v.doc = v.doc[1:] },
			func(v *voucher) { v.doc = "M" + v.doc[1:]; v.cents-- },
		} {
			v = p.fresh(60)
			for v[20].doc[5] == v[20].doc[6] {
				v[20] = p.fresh(1)[0]
			}
			like := v[20]
			like.day = min(like.day, 26)
			v[20] = like
			change(&like)
			like.day = v[20].day + p.r.IntN(3)
			like.text = "typed once more"
			one = p.file(v, 0)
			p.want = append(p.want, "near-record "+one+" "+p.file(append(p.fresh(60), like), 1))
		}
	}
	slices.Sort(p.want)
	return p
}

func plantedOptions(t *testing.T) Options {
	return Options{Totals: []string{"amount"}, Key: []string{"doc"},
		Near: []Near{near(t, "amount:0.01, day:3d, doc:1, party:same", "amount")}}
}

// found writes findings as the planter wants them.
func found(r *Result) []string {
	var all []string
	for _, text := range told(r) {
		text, _, _ = strings.Cut(text, " = ")
		words := strings.Fields(text)
		for i, word := range words {
			words[i], _, _ = strings.Cut(word, ":")
		}
		all = append(all, strings.Join(words, " "))
	}
	slices.Sort(all)
	return all
}

// Every double that is planted is found, and none that is not there, however many
// goroutines read, with little memory, and with a hash by which nearly all records
// look alike: what counts is their content.
func TestPlantedTruth(t *testing.T) {
	for seed := range uint64(2) {
		p := plant(seed, 2)
		for _, c := range []struct {
			rule    string
			reading source.Reading
			hash    func(uint64) uint64
		}{
			{"usual", sourcetest.Reading, nil},
			{"little memory", source.Reading{Jobs: 1, Memory: 1}, nil},
			{"hashes that collide", sourcetest.Reading, func(print uint64) uint64 { return print % 5 << 61 }},
			{"one hash for all", source.Reading{Jobs: 2, Memory: 1 << 30}, func(uint64) uint64 { return 7 }},
		} {
			options := plantedOptions(t)
			options.hash = c.hash
			r := find(t, "", p.files, c.reading, options)
			got := found(r)
			for _, text := range got {
				if !slices.Contains(p.want, text) {
					t.Errorf("seed %d, %s: not planted, and found: %s", seed, c.rule, text)
				}
			}
			for _, text := range p.want {
				if !slices.Contains(got, text) {
					t.Errorf("seed %d, %s: planted, and not found: %s", seed, c.rule, text)
				}
			}
			if len(got) != len(p.want) {
				t.Errorf("seed %d, %s: %d are found, of %d", seed, c.rule, len(got), len(p.want))
			}
		}
	}
}
