package overlay

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/internal/sourcetest"
)

// rows are the figures of a result, a row a line: its label, and its figures.
func rows(r *Result) string {
	var lines []string
	for b := range r.Blocks {
		block := &r.Blocks[b]
		for i := range block.Rows {
			cells := []string{block.Rows[i].Name()}
			for k := range block.Columns {
				text := "-"
				if f := block.At(i, k); f.From > 0 {
					text = f.Amount.String()
				}
				cells = append(cells, text)
			}
			lines = append(lines, strings.Join(cells, " "))
		}
	}
	return strings.Join(lines, "\n")
}

// said are the kinds of findings with their places and what they say, a line each.
func said(r *Result, kind finding.Kind) string {
	var lines []string
	for _, f := range r.Findings {
		if f.Kind == kind {
			lines = append(lines, f.Source+": "+f.Message)
		}
	}
	return strings.Join(lines, "\n")
}

func TestRulesOfForms(t *testing.T) {
	labels := &Labels{Columns: []int{1}, Rows: []int{1}}
	for _, c := range []struct {
		rule    string
		files   map[string]string
		options Options
		want    string // rows of the result
		kind    finding.Kind
		says    string // in what is found
	}{
		{
			rule: "a label that differs in one form is told with both cells, and only its line is not added",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nWages,10\nRent,20\n",
				"c.csv": "L,Q\nWages,100\nHire,200\n"},
			want: "Wages 111\nRent 22", kind: finding.LabelDiffers,
			says: `c.csv: A3 says "Hire", where 2 other forms have "Rent" in A3; the figures of this row were not added`,
		},
		{
			rule: "an accepted label is added by its position",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nWages,10\nRent,20\n",
				"c.csv": "L,Q\nWages,100\nHire,200\n"},
			options: Options{IsAccepted: func(f finding.Finding) bool { return f.Kind == finding.LabelDiffers }},
			want:    "Wages 111\nRent 222",
		},
		{
			rule: "labels that are loosely the same are one",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nwages ,10\nRent,20\n",
				"c.csv": "L,Q\nWAGES,100\nRent,200\n"},
			options: Options{Loose: equality.Loose{Blanks: true, Case: true}},
			want:    "Wages 111\nRent 222", kind: finding.LabelDiffers,
		},
		{
			rule: "a label that differs in blanks says which option makes it one",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nWages ,10\nRent,20\n",
				"c.csv": "L,Q\nWages,100\nRent,200\n"},
			want: "Wages 101\nRent 222", kind: finding.LabelDiffers, says: "⟨loose⟩ blanks takes these labels as one",
		},
		{
			rule: "the heading of a column counts like the label of a row",
			files: map[string]string{"a.csv": "L,Q1,Q2\nWages,1,2\nRent,3,4\n",
				"b.csv": "L,Q1,Q2\nWages,10,20\nRent,30,40\n",
				"c.csv": "L,Q1,Q3\nWages,100,200\nRent,300,400\n"},
			want: "Wages 111 22\nRent 333 44", kind: finding.LabelDiffers, says: `C1 says "Q3"`,
		},
		{
			rule: "a label that stands twice is not added in this form",
			files: map[string]string{"a.csv": "L,Q\nOther,1\nRent,2\n",
				"b.csv": "L,Q\nOther,10\nRent,20\nOther,30\n"},
			options: Options{Labels: labels},
			want:    "Other 1\nRent 22", kind: finding.DuplicateLabel, says: `b.csv: A2 and A4 both say "Other"`,
		},
		{
			rule:  "a label that stands twice is added together where that was accepted",
			files: map[string]string{"a.csv": "L,Q\nOther,1\nRent,2\n", "b.csv": "L,Q\nOther,10\nRent,20\nOther,30\n"},
			options: Options{Labels: labels,
				IsAccepted: func(f finding.Finding) bool { return f.Kind == finding.DuplicateLabel }},
			want: "Other 41\nRent 22",
		},
		{
			rule: "a level above tells labels apart, and stands for the lines below it",
			files: map[string]string{"a.csv": ",,2031,\n,,Q1,Q2\nStaff,Other,1,2\n,Wages,3,4\nHouse,Other,5,6\n",
				"b.csv": ",,2031,\n,,Q1,Q2\nHouse,Other,50,60\nStaff,Wages,30,40\n,Other,10,20\n"},
			options: Options{Labels: &Labels{Columns: []int{1, 2}, Rows: []int{1, 2}}},
			want:    "Staff / Other 11 22\nStaff / Wages 33 44\nHouse / Other 55 66", kind: finding.DuplicateLabel,
		},
		{
			rule:    "figures without a label are in suspense",
			files:   map[string]string{"a.csv": "L,Q\nWages,1\n,7\n", "b.csv": "L,Q\nWages,10\n,\n"},
			options: Options{Labels: labels},
			want:    "Wages 11", kind: finding.NoLabel, says: "a.csv: row 3 holds figures and has no label",
		},
		{
			rule: "a label that few forms have is told, and stands where its neighbour does",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nWages,10\nTraining,5\nRent,20\n",
				"c.csv": "L,Q\nWages,100\nRent,200\n"},
			options: Options{Labels: labels},
			want:    "Wages 111\nTraining 5\nRent 222", kind: finding.RareLabel,
			says: `b.csv: row "Training" is in 1 of 3 forms`,
		},
		{
			rule: "labels that are nearly equal are told",
			files: map[string]string{"a.csv": "L,Q\nInsurance,1\nRent,2\n", "b.csv": "L,Q\nInsurence,10\nRent,20\n",
				"c.csv": "L,Q\nInsurance,100\nRent,200\n"},
			options: Options{Labels: labels},
			want:    "Insurance 101\nInsurence 10\nRent 222", kind: finding.SimilarLabel,
			says: `nearly like "Insurance"`,
		},
		{
			rule:    "numbers in labels are never nearly equal",
			files:   map[string]string{"a.csv": "L,Q\nMonth 01,1\nRent,2\n", "b.csv": "L,Q\nMonth 02,10\nRent,20\n"},
			options: Options{Labels: labels},
			want:    "Month 01 1\nMonth 02 10\nRent 22", kind: finding.SimilarLabel,
		},
		{
			rule: "a text among figures is in suspense, and never zero",
			files: map[string]string{"a.csv": "L,Q\nWages,n/a\nRent,2\nEnergy,3\n",
				"b.csv": "L,Q\nWages,10\nRent,20\nEnergy,30\n",
				"c.csv": "L,Q\nWages,100\nRent,200\nEnergy,300\n"},
			want: "Wages 110\nRent 222\nEnergy 333", kind: finding.BadValue,
			says: `a.csv: B2 ("Wages", "Q") holds the text "n/a"`,
		},
		{
			rule: "a remark that no form has a number for is not added, and no figure",
			files: map[string]string{"a.csv": "L,Q,Note\nWages,1,see mail\nRent,2,\n",
				"b.csv": "L,Q,Note\nWages,10,\nRent,20,agreed\n"},
			options: Options{Areas: []sheet.Area{{FirstRow: 2, LastRow: 3, FirstColumn: 2, LastColumn: 3}}},
			want:    "Wages 11 -\nRent 22 -", kind: finding.NotAdded, says: `column "Note" holds texts and no figure`,
		},
		{
			rule:  "percentages are not added",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nMargin,12 %\n", "b.csv": "L,Q\nWages,10\nMargin,13%\n"},
			want:  "Wages 11\nMargin -", kind: finding.NotAdded,
			says: `row "Margin" holds percentages or fractions, 2 cells`,
		},
		{
			rule:    "percentages that are named are added",
			files:   map[string]string{"a.csv": "L,Q\nWages,1\nMargin,12 %\n", "b.csv": "L,Q\nWages,10\nMargin,13%\n"},
			options: Options{Also: []string{"Margin"}},
			want:    "Wages 11\nMargin 25",
		},
		{
			rule: "years above figures are headings",
			files: map[string]string{"a.csv": "L,2030,2031\nWages,1,2\nRent,3,4\n",
				"b.csv": "L,2030,2031\nWages,10,20\nRent,30,40\n"},
			want: "Wages 11 22\nRent 33 44",
		},
		{
			rule: "several areas have the labels around them",
			files: map[string]string{"a.csv": "Costs,Q1,,Income,Q1\nWages,1,,Tickets,5\nRent,2,,Passes,6\n",
				"b.csv": "Costs,Q1,,Income,Q1\nWages,10,,Tickets,50\nRent,20,,Passes,60\n"},
			options: Options{Areas: []sheet.Area{{FirstRow: 2, LastRow: 3, FirstColumn: 2, LastColumn: 2},
				{FirstRow: 2, LastRow: 3, FirstColumn: 5, LastColumn: 5}}},
			want: "Wages 11\nRent 22\nTickets 55\nPasses 66", kind: finding.LabelDiffers,
		},
		{
			rule: "tables below one another are found, each with its own headings",
			files: map[string]string{
				"a.csv": "L,Q1,Q2,Q3\nWages,1,2,9\nRent,3,4,9\n,,,\nStaff,Jan,Jun,\nGuides,5,7,\nDrivers,6,8,\n",
				"b.csv": "L,Q1,Q2,Q3\nWages,10,20,\nRent,30,,9\n,,,\nStaff,Jan,Jun,\nGuides,50,,\nDrivers,60,80,\n",
			},
			want: "Wages 11 22 9\nRent 33 4 18\nGuides 55 7\nDrivers 66 88", kind: finding.NotAdded,
		},
		{
			rule: "a label with one text beside it is a line, and heads nothing",
			files: map[string]string{"a.csv": "L,Q1\nWages,1\n,\nTravel,n/a\nRent,3\n",
				"b.csv": "L,Q1\nWages,10\n,\nTravel,n/a\nRent,30\n"},
			want: "Wages 11\n -\nTravel -\nRent 33", kind: finding.NotAdded,
			says: `row "Travel" holds texts and no figure in any form`,
		},
		{
			rule: "a table of one column below another has a heading without a label beside it",
			files: map[string]string{"a.csv": "L,Q1,Q2\nWages,1,2\nRent,3,4\n,,\n,Jan,\nGuides,5,\nDrivers,6,\n",
				"b.csv": "L,Q1,Q2\nWages,10,20\nRent,30,\n,,\n,Jan,\nGuides,50,\nDrivers,60,\n"},
			want: "Wages 11 22\nRent 33 4\nGuides 55\nDrivers 66", kind: finding.NotAdded,
		},
		{
			rule: "a remark behind a blank line heads nothing",
			files: map[string]string{
				"a.csv": "L,Q1,Q2\nWages,1,2\nRent,3,4\n,,\n,in whole crowns,\nGuides,5,6\nDrivers,7,8\n",
				"b.csv": "L,Q1,Q2\nWages,10,20\nRent,30,40\n,,\n,in whole crowns,\nGuides,50,60\nDrivers,70,80\n",
			},
			want: "Wages 11 22\nRent 33 44\n - -\n - -\nGuides 55 66\nDrivers 77 88", kind: finding.NotAdded,
			says: "holds texts and no figure in any form",
		},
		{
			rule: "tables beside one another are found, each with its own labels",
			files: map[string]string{"a.csv": "Costs,Q1,,Income,Q1\nWages,1,,Tickets,5\nRent,2,,Passes,6\n",
				"b.csv": "Costs,Q1,,Income,Q1\nWages,10,,Tickets,50\nRent,20,,Passes,60\n"},
			want: "Wages 11\nRent 22\nTickets 55\nPasses 66", kind: finding.NotAdded,
		},
		{
			rule: "years that head a second table are never added up",
			files: map[string]string{"a.csv": "L,2030,2031\nWages,1,2\nRent,3,4\n,,\nStaff,2030,2031\nGuides,5,6\n",
				"b.csv": "L,2030,2031\nWages,10,20\nRent,30,40\n,,\nStaff,2030,2031\nGuides,50,60\n"},
			want: "Wages 11 22\nRent 33 44\nGuides 55 66", kind: finding.NotAdded,
		},
		{
			rule: "figures that only look like years are figures where forms differ",
			files: map[string]string{"a.csv": "L,Q1,Q2\nWages,1,2\nRent,3,4\n,,\nStaff,2030,2031\nGuides,5,6\n",
				"b.csv": "L,Q1,Q2\nWages,10,20\nRent,30,40\n,,\nStaff,2030,2030\nGuides,50,60\n"},
			want: "Wages 11 22\nRent 33 44\n - -\nStaff 4060 4061\nGuides 55 66", kind: finding.NotAdded,
		},
		{
			rule: "a line that one form has put between two tables is no gap",
			files: map[string]string{"a.csv": "L,Q1,Q2\nWages,1,2\nRent,3,4\n,,\n,Jan,Jun\nGuides,5,6\n",
				"b.csv": "L,Q1,Q2\nWages,10,20\nRent,30,40\nBonus,7,7\n,Jan,Jun\nGuides,50,60\n",
				"c.csv": "L,Q1,Q2\nWages,100,200\nRent,300,400\n,,\n,Jan,Jun\nGuides,500,600\n"},
			want: "Wages 111 222\nRent 333 444\n - -\n - -\nGuides 555 666", kind: finding.LabelDiffers, says: `A4`,
		},
		{
			rule: "a form of another order is told what has it meet the others",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\nEnergy,3\n",
				"b.csv": "L,Q\nWages,10\nRent,20\nEnergy,30\n", "c.csv": "L,Q\nRent,100\nWages,200\nEnergy,300\n"},
			want: "Wages 11\nRent 22\nEnergy 333", kind: finding.LabelDiffers,
			says: `A2 says "Rent", where 2 other forms have "Wages" in A2; the figures of this row were not added; ` +
				`there "Rent" is in A3, and with ⟨labels⟩ forms of another order meet`,
		},
		{
			rule: "a form without any figure stops",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nWages,10\nRent,20\n",
				"c.csv": "L,Q\nWages,\nRent,\n"},
			want: "Wages 11\nRent 22", kind: finding.EmptyForm, says: "c.csv: the form has no figure",
		},
		{
			rule: "a form with fewer filled cells than the others is told",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\nEnergy,3\n",
				"b.csv": "L,Q\nWages,10\nRent,20\nEnergy,30\n",
				"c.csv": "L,Q\nWages,100\nRent,\nEnergy,300\n"},
			want: "Wages 111\nRent 22\nEnergy 333", kind: finding.FilledDiffers,
			says: "c.csv: 2 cells are filled, and 3 in most forms",
		},
		{
			rule: "figures outside of the area of the others stop",
			files: map[string]string{"a.csv": "L,Q\nWages,1\nRent,2\n", "b.csv": "L,Q\nWages,10\nRent,20\n",
				"c.csv": "L,Q\nWages,100\nRent,200\nEnergy,300\n"},
			want: "Wages 111\nRent 222", kind: finding.FiguresOutside,
			says: "c.csv: its figures are in B2:B4, and those of most forms in B2:B3",
		},
		{
			rule: "a dash is zero, and digits with a leading zero are a code",
			files: map[string]string{"a.csv": "L,Q\nWages,-\nRent,2\nX,3\n",
				"b.csv": "L,Q\nWages,10\nRent,0417\nX,30\n"},
			want: "Wages 10\nRent 2\nX 33", kind: finding.BadValue,
			says: `b.csv: B3 ("Rent", "Q") holds the text "0417"`,
		},
		{
			rule:  "a mark that may be either is told",
			files: map[string]string{"a.csv": "L;Q\nWages;1.234\nRent;2\n"},
			want:  "Wages 1.234\nRent 2", kind: finding.DecimalUnclear,
			says: `"1.234" can be read with a decimal point or a decimal comma`,
		},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r := overlayOf(t, sourcetest.Set(t, "", c.files), c.options)
			if got := rows(r); got != c.want {
				t.Errorf("it comes to\n%s\nwant\n%s", got, c.want)
			}
			got := said(r, c.kind)
			if c.says == "" && got != "" || !strings.Contains(got, c.says) {
				t.Errorf("%s says %q, want %q", c.kind, got, c.says)
			}
		})
	}
}

// table is a form as CSV, of labels and figures.
func table(lines ...string) string { return strings.Join(lines, "\n") + "\n" }

func TestFormsThatDisagree(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{"a.csv": table("L,Q", "Wages,1"),
		"b.csv": table("T", "", "L,Q", "Wages,1")})
	_, err := Run(t.Context(), set, sourcetest.Reading, Options{})
	var disagree *DisagreeError
	if !errors.As(err, &disagree) || !strings.Contains(err.Error(), "B2:B2 in a.csv; B4:B4 in b.csv") {
		t.Errorf("the error is %v", err)
	}
	set = sourcetest.Set(t, "", map[string]string{"a.csv": "some words\nand more\n"})
	var none *NoFiguresError
	if _, err := Run(t.Context(), set, sourcetest.Reading, Options{}); !errors.As(err, &none) {
		t.Errorf("the error is %v", err)
	}
}

// What a source gave adds up to each figure, however little memory there is, and whoever is left out gives nothing.
func TestContributions(t *testing.T) {
	files := make(map[string]string)
	for i := range 60 {
		files[fmt.Sprintf("f%02d.csv", i)] = table("L,Q1,Q2", fmt.Sprintf("Wages,%d.5,%d", i, 2*i),
			fmt.Sprintf("Rent,%d,", i),
			"Text,1,")
	}
	files["f07.csv"] = table("L,Q1,Q2", "Wages,7.5,oops", "Rent,7,", "Text,1,99999999999999999999")
	left := new(drop.Set)
	left.File("f09.csv", drop.Reason{Text: "sent twice"})
	set := sourcetest.Set(t, "", files)
	for _, memory := range []int64{1 << 30, 1} {
		reading := sourcetest.Reading
		reading.Memory = memory
		r, err := Run(t.Context(), set, reading, Options{Drop: left})
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
		if g := &r.Sources[9]; g.Dropped != 4 || g.Used != 0 || g.AmountDropped.String() != "37.5" { // 9.5 + 18 + 9 + 1
			t.Errorf("what was left out is %+v", g)
		}
		sums := make(map[[2]int]amount.Amount)
		err = r.EachFigure(func(_, row, column int, from From) error {
			last := -1
			return from(func(c *Contribution) error {
				if c.Source <= last || c.Source == 9 {
					t.Errorf("source %d comes behind %d", c.Source, last)
				}
				last = c.Source
				sums[[2]int{row, column}] = sums[[2]int{row, column}].Add(c.Amount)
				return nil
			})
		})
		if err != nil {
			t.Fatal(err)
		}
		b := &r.Blocks[0]
		for i := range b.Rows {
			for k := range b.Columns {
				if got := sums[[2]int{i, k}]; b.At(i, k).Amount.Cmp(got) != 0 {
					t.Errorf("with %d bytes row %d column %d is %s, and sources gave %s", memory, i, k,
						b.At(i, k).Amount, got)
				}
			}
		}
		wages := amount.New(59*60/2*10+60*5-95, 1) // without source 9
		if b.At(0, 0).Amount.Cmp(wages) != 0 || b.At(2, 1).Amount.String() != "99999999999999999999" {
			t.Errorf("wages are %s, want %s, and the long one is %s", b.At(0, 0).Amount, wages, b.At(2, 1).Amount)
		}
		answers, err := r.Answers(0, 0, 1)
		if err != nil || answers[0].Source != 59 || answers[0].At != "C2" || answers[0].Amount.String() != "118" {
			t.Errorf("%v: the first answer is %+v", err, answers[0])
		}
		why := make(map[int]string)
		for _, a := range answers {
			if !a.Gave {
				why[a.Source] = a.Why
			}
		}
		if len(why) != 2 || why[7] != `the text "oops"` || why[9] != "it was left out" {
			t.Errorf("those that gave nothing say %v", why)
		}
	}
}

// The form of the result is that of the first form, without what only that says, and with the lines of others.
func TestTheFormOfTheResult(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{
		"a.csv": table("Budget,,", "Company,Alder,", "L,Q1,Q2", "Wages,1,2", "Rent,3,4", "Signed,Ann,"),
		"b.csv": table("Budget,,", "Company,Birch,", "L,Q2,Q1,Q3", "Rent,40,30,", "Training,5,6,", "Wages,20,10,7",
			"Signed,Bob,,")})
	r := overlayOf(t, set, Options{Labels: &Labels{Columns: []int{1}, Rows: []int{3}}})
	form, err := r.Form(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	var cells []string
	for _, c := range form.Cells {
		cells = append(cells, Address(c.Row, c.Column)+" "+c.Text)
	}
	slices.Sort(cells)
	want := "A1 Budget|A2 Company|A3 L|A4 Wages|A5 Rent|A6 Training|A7 Signed|B3 Q1|C3 Q3|D3 Q2"
	if got := strings.Join(cells, "|"); got != want {
		t.Errorf("the form has\n%s\nwant\n%s", got, want)
	}
	if got := rows(r); got != "Wages 11 7 22\nRent 33 - 44\nTraining 6 - 5\nSigned - - -" {
		t.Errorf("it comes to\n%s", got)
	}
}

func TestRequests(t *testing.T) {
	for _, c := range []struct {
		request Request
		want    string // of the error
	}{
		{Request{Cells: []string{"B7:F18", "H7"}}, ""},
		{Request{Cells: []string{"'My sheet'!B7:F18"}}, ""},
		{Request{Labels: []string{"A:B", "5:6"}}, ""},
		{Request{Cells: []string{"B7:F"}}, "no area of cells"},
		{Request{Cells: []string{"B7:F18", "C9"}}, "C9:C9 overlaps B7:F18"},
		{Request{Cells: []string{"X!B7", "Y!B8"}}, "one sheet"},
		{Request{Labels: []string{"A"}}, "in which row"},
		{Request{Labels: []string{"6"}}, "in which column"},
		{Request{Labels: []string{"A", "0"}}, "neither a column nor a row"},
		{Request{Cells: []string{"B7"}, Labels: []string{"A", "1"}}, "by position or by label"},
		{Request{Footing: []string{"Total"}}, "names no row or column"},
		{Request{Loose: []string{"colour"}}, "colour"},
	} {
		_, err := c.request.Read()
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: the error is %v, want %q", c.request, err, c.want)
		}
	}
	o, err := (&Request{Cells: []string{"H2:I3", "$B$7:f18"}}).Read()
	if err != nil || addressOf(&o.Areas[0]) != "H2:I3" || addressOf(&o.Areas[1]) != "B7:F18" {
		t.Errorf("%v: %+v", err, o.Areas)
	}
}
