package tally_test

import (
	"slices"
	"testing"

	"lastblock/core/finding"
)

// Exactly half of the records in suspense is not most of them, and one more is.
func TestASourceStopsWithMoreThanHalfOfItsRecordsInSuspense(t *testing.T) {
	for text, want := range map[string]bool{
		"doc,debit\n1,x\n2,2\n":           false,
		"doc,debit\n1,x\n2,y\n3,3\n":      true,
		"doc,debit\n1,x\n":                true,
		"doc,debit\n1,1\n":                false,
		"doc,debit\n":                     false,
		"doc,debit\n1,x\n2,y\n3,3\n4,4\n": false,
	} {
		c, _, err := count(t, "", []string{"debit"}, map[string]string{"a.csv": text})
		if err != nil {
			t.Fatal(err)
		}
		all := c.Findings.All()
		at := slices.IndexFunc(all, func(f finding.Finding) bool { return f.Kind == finding.MostlySuspended })
		if (at >= 0) != want {
			t.Errorf("%q: findings are %v", text, told(c))
		}
		if at >= 0 && (all[at].Severity != finding.Stop || all[at].Count != c.Proof.Suspense) {
			t.Errorf("%q: the finding is %+v", text, all[at])
		}
	}
}

// Amounts of records in suspense that cannot be read are counted, by column: those that are none,
// and all of a record that is no record.
func TestAmountsInSuspenseThatCannotBeReadAreCounted(t *testing.T) {
	c, _, err := count(t, "", []string{"debit", "credit"}, map[string]string{
		"a.csv": "doc,debit,credit\n1,x,2.50\n2,1,y\n3,,z\n4,5,6,7\n5,1,1\n",
	})
	if err != nil {
		t.Fatal(err)
	}
	debit, credit := c.Proof.Totals[0], c.Proof.Totals[1]
	if c.Proof.Suspense != 4 || debit.Unread != 2 || credit.Unread != 3 {
		t.Errorf("%d in suspense, of which %d and %d are not read", c.Proof.Suspense, debit.Unread, credit.Unread)
	}
	if debit.Suspense.String() != "1" || credit.Suspense.String() != "2.50" {
		t.Errorf("in suspense are %s and %s", debit.Suspense, credit.Suspense)
	}
}

// A total line that is off goes into suspense whole, and with a column that its source lacks as well.
func TestADoubtfulTotalOfASourceThatLacksAColumn(t *testing.T) {
	c, _, err := count(t, "", []string{"debit", "credit"}, map[string]string{
		"a.csv": "doc,debit\n1,5\n2,6\nTotal,12\n", "b.csv": "doc,debit,credit\n1,1,1\n",
	})
	if err != nil {
		t.Fatal(err)
	}
	if c.Proof.Suspense != 1 || c.Proof.Totals[0].Suspense.String() != "12" ||
		c.Proof.Totals[1].Suspense.Sign() != 0 || c.Proof.Totals[0].Unread != 0 {
		t.Errorf("in suspense are %d, %+v", c.Proof.Suspense, c.Proof.Totals)
	}
}
