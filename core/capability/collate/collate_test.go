package collate

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/record"
	"lastblock/internal/sourcetest"
)

// collate puts files together and returns the delimited text.
func collate(t *testing.T, pattern string, options Options, files map[string]string) (string, *Result) {
	t.Helper()
	if options.Delimiter == 0 {
		options.Delimiter = ','
	}
	plan, err := Prepare(context.Background(), sourcetest.Set(t, pattern, files), sourcetest.Reading, options)
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	out.Write(plan.Header())
	result, err := plan.Write(context.Background(), &out)
	if err != nil {
		t.Fatal(err)
	}
	return out.String(), result
}

func TestCollate(t *testing.T) {
	for _, c := range []struct {
		rule    string
		pattern string
		options Options
		files   map[string]string
		want    string
	}{
		{"columns are matched by name", "", Options{Bare: true},
			map[string]string{"a.csv": "x,y\n1,2\n", "b.csv": "y,x\n4,3\n"}, "x,y\n1,2\n3,4\n"},
		{"a column that only a later source has is kept", "", Options{Bare: true},
			map[string]string{"a.csv": "x,y\n1,2\n", "b.csv": "x,z\n3,4\n"}, "x,y,z\n1,2,\n3,,4\n"},
		{"the source stands on every row", "", Options{}, map[string]string{"a.csv": "x\n1\n2\n"},
			"x,source,source_line\n1,a.csv,2\n2,a.csv,3\n"},
		{"the words of the name stand before it", "{entity}_{period}", Options{},
			map[string]string{"a_2031-01.csv": "x,y\n1,2\n"},
			"x,y,entity,period,source,source_line\n1,2,a,2031-01,a_2031-01.csv,2\n"},
		{"the line is that on which the record starts", "", Options{},
			map[string]string{"a.csv": "x,y\n\"1\n\n\",2\n3,4\n"},
			"x,y,source,source_line\n\"1\n\n\",2,a.csv,2\n3,4,a.csv,5\n"},
		{"quotes that are not needed go", "", Options{Bare: true}, map[string]string{"a.csv": "x,y\n\"1\",\"a,b\"\n"},
			"x,y\n1,\"a,b\"\n"},
		{"quotes that are needed stay", "", Options{Bare: true},
			map[string]string{"a.csv": "x,y\n\"a,b\",\"say \"\"yes\"\"\"\n\"c\",2\n\"\",\"d\ne\"\n"},
			"x,y\n\"a,b\",\"say \"\"yes\"\"\"\nc,2\n,\"d\ne\"\n"},
		{"a quote within a field gets quotes, and changes nothing in others", "", Options{Bare: true},
			map[string]string{"a.csv": "x,y\n\"a,b\",\"c\"\n12\" pipe,3\n"}, "x,y\n\"a,b\",c\n\"12\"\" pipe\",3\n"},
		{"a comma in a semicolon file gets quotes", "", Options{Bare: true}, map[string]string{"a.csv": "x;y\n1;2,5\n"},
			"x,y\n1,\"2,5\"\n"},
		{"a lone CR is kept, in quotes", "", Options{Bare: true}, map[string]string{"a.csv": "x,y\n1\r2,3\n"},
			"x,y\n\"1\r2\",3\n"},
		{"leading zeros and blanks stay", "", Options{Bare: true}, map[string]string{"a.csv": "x,y\n007, 8 \n"},
			"x,y\n007, 8 \n"},
		{"a blank field alone on its line stays a record", "", Options{Bare: true},
			map[string]string{"a.csv": "x\n\"\"\n1\n"}, "x\n\"\"\n1\n"},
		{"tabs", "", Options{Bare: true, Delimiter: '\t'}, map[string]string{"a.csv": "x,y\n\"1\t2\",3\n"},
			"x\ty\n\"1\t2\"\t3\n"},
		{"sources in natural order", "", Options{Bare: true},
			map[string]string{"f10.csv": "x\n10\n", "f9.csv": "x\n9\n"}, "x\n9\n10\n"},
		{"no header: matched by position", "", Options{Bare: true},
			map[string]string{"a.csv": "A,1.00\n", "b.csv": "B,2.00\nC,3.00\n"}, "#1,#2\nA,1.00\nB,2.00\nC,3.00\n"},
		{"a source without records adds its columns", "", Options{Bare: true},
			map[string]string{"a.csv": "x\n1\n", "b.csv": "y\n"}, "x,y\n1,\n"},
		{"a record with a bad total stays out", "", Options{Bare: true, Totals: []string{"y"}},
			map[string]string{"a.csv": "x,y\n1,2.00\n2,no\n3,\n"}, "x,y\n1,2.00\n3,\n"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			if got, _ := collate(t, c.pattern, c.options, c.files); got != c.want {
				t.Errorf("result is\n%s\nwant\n%s", got, c.want)
			}
		})
	}
}

// With one source and bare, what comes out holds field by field what went in.
// The stock reader tells, on records full of what needs care.
func TestFieldByField(t *testing.T) {
	pieces := []string{"", "7", "007", "a b", " ", "x,y", `say "no"`, "two\nlines", "two\r\nlines", ";", "é", "\x00",
		"=1+1"}
	r := rand.New(rand.NewPCG(4, 2))
	for _, delimiter := range []rune{',', ';', '\t', '|'} {
		var in bytes.Buffer
		w := csv.NewWriter(&in)
		w.Comma = delimiter
		records := [][]string{{"first", "second", "third"}}
		for range 2000 {
			records = append(records, []string{pieces[r.IntN(len(pieces))], pieces[r.IntN(len(pieces))], "end"})
		}
		if err := w.WriteAll(records); err != nil {
			t.Fatal(err)
		}
		out, result := collate(t, "", Options{Bare: true}, map[string]string{"a.csv": in.String()})
		reader := csv.NewReader(strings.NewReader(out))
		got, err := reader.ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		for i := range records {
			for k := range records[i] {
				records[i][k] = strings.ReplaceAll(records[i][k], "\r\n", "\n") // as the stock reader does
			}
		}
		if !reflect.DeepEqual(got, records) || result.Records != len(records)-1 {
			t.Errorf("%q: %d records out, %d in", delimiter, len(got), len(records))
		}
	}
}

func TestTheResultDoesNotDependOnTheNumberOfCores(t *testing.T) {
	files := make(map[string]string)
	for i := range 300 {
		text := "x,y\n"
		for row := range 50 {
			text += fmt.Sprintf("%d,%d\n", i, row)
		}
		if i%7 == 0 {
			text = "y,z\n1,\"2\n3\"\n"
		}
		files[fmt.Sprintf("f%d.csv", i)] = text
	}
	set := sourcetest.Set(t, "", files)
	var outs []string
	for _, jobs := range []int{1, 2, 7} {
		reading := sourcetest.Reading
		reading.Jobs = jobs
		plan, err := Prepare(context.Background(), set, reading, Options{Delimiter: ','})
		if err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if _, err := plan.Write(context.Background(), &out); err != nil {
			t.Fatal(err)
		}
		outs = append(outs, out.String())
	}
	if outs[0] != outs[1] || outs[0] != outs[2] {
		t.Error("the results differ")
	}
	if lines := strings.Count(outs[0], "\n"); lines != 257*50+43*2 {
		t.Errorf("%d lines", lines)
	}
}

// full fails as a full disk does, after some bytes.
type full struct{ room int }

var errFull = errors.New("no space left")

func (f *full) Write(p []byte) (int, error) {
	if f.room -= len(p); f.room < 0 {
		return 0, errFull
	}
	return len(p), nil
}

func TestAWriteThatFailsEndsTheRun(t *testing.T) {
	files := make(map[string]string)
	for i := range 2000 {
		files[fmt.Sprintf("f%d.csv", i)] = "x,y\n" + strings.Repeat("some text,more\n", 50)
	}
	plan, err := Prepare(context.Background(), sourcetest.Set(t, "", files), sourcetest.Reading,
		Options{Delimiter: ','})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := plan.Write(context.Background(), &full{room: 100_000}); !errors.Is(err, errFull) {
		t.Errorf("error is %v", err)
	}
}

// An encoder is told of what kind each text is, and has it in its plain form.
func TestKindsForAnEncoder(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{
		"a.csv": "account;debit;posted;ok\n00417;1.234,50;31.01.2031;yes\n7;x;03/04/2031;perhaps\n8;;;\n",
		"b.csv": "account,debit,posted,ok\n9,1,234.50,2031-02-01,no\n9,\"1,234.50\",2031-02-01,no\n",
	})
	reading := sourcetest.Reading
	options := Options{Delimiter: ',', Totals: nil,
		Kinds: map[string]record.Kind{"account": record.Text, "debit": record.Amount, "posted": record.Date,
			"ok": record.Flag}}
	options.Encode = func(dst []byte, texts [][]byte, kinds []record.Kind) []byte {
		for i, text := range texts {
			dst = fmt.Appendf(dst, "%s:%s ", kinds[i], text)
		}
		return append(dst, '\n')
	}
	plan, err := Prepare(context.Background(), set, reading, options)
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if _, err := plan.Write(context.Background(), &out); err != nil {
		t.Fatal(err)
	}
	want := "text:00417 amount:1234.50 date:2031-01-31 flag:true :a.csv amount:2 \n" +
		"text:7 text:x text:03/04/2031 text:perhaps :a.csv amount:3 \n" +
		"text:8 text: text: text: :a.csv amount:4 \n" +
		"text:9 amount:1234.50 date:2031-02-01 flag:false :b.csv amount:3 \n"
	if out.String() != want {
		t.Errorf("records are\n%s\nwant\n%s", out.String(), want)
	}
}

func TestShieldedFormulas(t *testing.T) {
	got, _ := collate(t, "", Options{Bare: true, Shield: true}, map[string]string{
		"a.csv": "x,y\n=1+1,-5\n@cmd,-cmd\n+1.50,1=2\n\"\t=x\",'=x\n\"-1.234,50\",+a\n",
	})
	want := "x,y\n'=1+1,-5\n'@cmd,'-cmd\n+1.50,1=2\n'\t=x,'=x\n\"-1.234,50\",'+a\n"
	if got != want {
		t.Errorf("result is\n%s\nwant\n%s", got, want)
	}
}
