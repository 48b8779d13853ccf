package attach_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"lastblock/core/capability/attach"
	"lastblock/core/capability/collate"
	"lastblock/core/finding"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/internal/sourcetest"
)

// adder is an attachment as a collation takes it.
type adder struct{ *attach.Attachment }

func (a adder) Worker() collate.AdderWorker { return a.Attachment.Worker() }

// run brings columns to records and returns them as delimited text, by the way that
// copies records and by the one that takes them apart.
func run(t testing.TB, records string, references []*attach.Reference, texts []string,
	totals ...string) (string, *collate.Result) {
	t.Helper()
	var outcomes [2]string
	var result *collate.Result
	for i := range outcomes {
		for k, text := range texts {
			references[k].Set = sourcetest.Set(t, "", map[string]string{"ref.csv": text})
		}
		ctx := context.Background()
		a, err := attach.Read(ctx, references, sourcetest.Reading, attach.Options{Totals: totals, Delimiter: ','})
		if err != nil {
			t.Fatal(err)
		}
		options := collate.Options{Bare: true, Totals: totals, Delimiter: ',', Adder: adder{a}}
		if i == 1 {
			options.Encode = func(dst []byte, texts [][]byte, _ []record.Kind) []byte {
				return delimited.AppendRecord(dst, texts, ',')
			}
		}
		plan, err := collate.Prepare(ctx, sourcetest.Set(t, "{entity}", map[string]string{"corvane.csv": records}),
			sourcetest.Reading, options)
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		out.Write(plan.Header())
		if result, err = plan.Write(ctx, &out); err != nil {
			t.Fatal(err)
		}
		outcomes[i] = out.String()
	}
	if outcomes[0] != outcomes[1] {
		t.Errorf("copied:\n%s\ntaken apart:\n%s", outcomes[0], outcomes[1])
	}
	return outcomes[0], result
}

func pairs(words ...string) []attach.Pair {
	var all []attach.Pair
	for _, word := range words {
		column, is, ok := strings.Cut(word, "=")
		if !ok {
			is = column
		}
		all = append(all, attach.Pair{Column: column, Is: is})
	}
	return all
}

func TestAttach(t *testing.T) {
	unknown := "?"
	for _, c := range []struct {
		name, records, reference string
		of                       attach.Reference
		want                     string
		found                    string // findings: kind, key, records
	}{
		{
			"codes keep their zeros", "k,v\n0417,1\n417,2\n", "k,name\n417,\"Bank, main\"\n0417,Cash\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,v,name\n0417,1,Cash\n417,2,\"Bank, main\"\n",
			"",
		},
		{
			"columns with other names", "account,v\nA,1\n", "code,label,group\nA,Bank,1\n",
			attach.Reference{Key: pairs("account=code"), Bring: pairs("group", "label=name")},
			"account,v,group,name\nA,1,1,Bank\n", "",
		},
		{
			"a name that is taken gets the next free form", "k,name,v\nA,own,1\n", "k,name\nA,Bank\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,name,v,name_2\nA,own,1,Bank\n", "",
		},
		{
			"what is not found is blank, and told by key", "k,v\nA,1\nX,2\nX,3\n,4\n", "k,name\nA,Bank\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,v,name\nA,1,Bank\nX,2,\nX,3,\n,4,\n",
			"stop not-found k (blank) 1 4, stop not-found k X 2 5",
		},
		{
			"something else can stand in its place", "k,v\nX,2\n", "k,name,group\nA,Bank,1\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name", "group"), Else: &unknown},
			"k,v,name,group\nX,2,?,?\n", "review not-found k X 1 2",
		},
		{
			"a key that stands twice is no harm where it brings the same", "k,v\nA,1\n",
			"k,name,x\nA,Bank,1\nA,Bank,2\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,v,name\nA,1,Bank\n", "",
		},
		{
			"but with different values it is", "k,v\nA,1\nA,2\nB,1\n", "k,name\nA,Bank\nB,Cash\nA,Till\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,v,name\nA,1,Bank\nA,2,Bank\nB,1,Cash\n",
			"stop many-found k A 2 3",
		},
		{
			"nobody is told of one that nobody looks up", "k,v\nB,1\n", "k,name\nA,Bank\nA,Till\nB,Cash\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,v,name\nB,1,Cash\n", "",
		},
		{
			"several columns, of which one is of the file's name", "k,v\nA,1\n",
			"entity,k,name\ncorvane,A,Bank\neskerby,A,Till\n",
			attach.Reference{Key: pairs("entity", "k"), Bring: pairs("name")}, "k,v,name\nA,1,Bank\n", "",
		},
		{
			"the row that holds on the day",
			"k,day,v\nA,2031-01-31,1\nA,01 Feb 2031,2\nA,2031-03-31,3\nA,2031-04-01,4\nA,x,5\n",
			"k,rate,from,until\nA,1.5,,2031-01-31\nA,1.6,2031-02,2031-03\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("rate"),
				Valid: &attach.Valid{Date: "day", From: "from", Until: "until"}},
			"k,day,v,rate\nA,2031-01-31,1,1.5\nA,01 Feb 2031,2,1.6\nA,2031-03-31,3,1.6\nA,2031-04-01,4,\nA,x,5,\n",
			"stop not-found k A (first on 2031-04-01) 2 9",
		},
		{
			"two that hold on one day", "k,day,v\nA,2031-01-31,1\nA,2031-02-01,2\n",
			"k,rate,from,until\nA,1.5,2031-01-01,2031-01-31\nA,1.6,2031-01-31,\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("rate"),
				Valid: &attach.Valid{Date: "day", From: "from", Until: "until"}},
			"k,day,v,rate\nA,2031-01-31,1,1.5\nA,2031-02-01,2,1.6\n", "stop valid-twice k A (first on 2031-01-31) 1 1",
		},
		{
			"no reference at all", "k,v\nA,1\n", "k,name\n",
			attach.Reference{Key: pairs("k"), Bring: pairs("name")}, "k,v,name\nA,1,\n", "stop not-found k A 1 1",
		},
	} {
		got, result := run(t, c.records, []*attach.Reference{&c.of}, []string{c.reference}, "v")
		if got != c.want {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, got, c.want)
		}
		var found []string
		for _, f := range result.Findings {
			if f.Kind == finding.NotFound || f.Kind == finding.ManyFound || f.Kind == finding.ValidTwice {
				found = append(found, fmt.Sprintf("%s %s %s %d %s", f.Severity, f.Kind, f.Key, f.Count, f.Amount))
			}
		}
		if c.name == "what is not found is blank, and told by key" { // in the order of the lines
			found[0], found[1] = found[1], found[0]
		}
		if strings.Join(found, ", ") != c.found {
			t.Errorf("%s: it finds %s, want %s", c.name, strings.Join(found, ", "), c.found)
		}
	}
}

// What one reference has brought can be the key of the next.
func TestReferencesInTheirOrder(t *testing.T) {
	got, _ := run(t, "k,v\nA,1\nB,2\n", []*attach.Reference{
		{Key: pairs("k"), Bring: pairs("group=set")}, {Key: pairs("set=id"), Bring: pairs("name")},
	}, []string{"k,group\nA,g1\nB,g2\n", "id,name\ng2,Cars\ng1,Cables\n"})
	if want := "k,v,set,name\nA,1,g1,Cables\nB,2,g2,Cars\n"; got != want {
		t.Errorf("it gives\n%s", got)
	}
}

func TestColumnsThatAreNotThere(t *testing.T) {
	for want, of := range map[string]attach.Reference{
		`the list has no column "kk"; did you mean "k"?`: {Key: pairs("k=kk"), Bring: pairs("name")},
		`the list has no column "nam"`:                   {Key: pairs("k"), Bring: pairs("nam")},
		`the list has no column "from"`: {Key: pairs("k"), Bring: pairs("name"),
			Valid: &attach.Valid{Date: "k", From: "from", Until: "until"}},
	} {
		of.Name, of.Set = "the list", sourcetest.Set(t, "", map[string]string{"ref.csv": "k,name\nA,Bank\n"})
		if _, err := attach.Read(context.Background(), []*attach.Reference{&of}, sourcetest.Reading,
			attach.Options{Delimiter: ','}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("the error is %v, want %s", err, want)
		}
	}
}

// Among many keys each record gets what a map has for it.
func TestManyKeys(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 8))
	names := make(map[string]string)
	reference, records, want := "k,name\n", "k\n", "k,name\n"
	for len(names) < 5000 {
		key := fmt.Sprintf("K%d", r.IntN(1_000_000))
		if names[key] == "" {
			names[key] = fmt.Sprintf("name %d", r.IntN(1000))
			reference += key + "," + names[key] + "\n"
		}
	}
	keys := make([]string, 0, len(names))
	for key := range names {
		keys = append(keys, key)
	}
	for range 20_000 {
		key := keys[r.IntN(len(keys))]
		if r.IntN(10) == 0 {
			key = fmt.Sprintf("X%d", r.IntN(100))
		}
		records += key + "\n"
		want += key + "," + names[key] + "\n"
	}
	if got, _ := run(t, records, []*attach.Reference{{Key: pairs("k"), Bring: pairs("name")}},
		[]string{reference}); got != want {
		t.Error("some records get what belongs to others")
	}
}
