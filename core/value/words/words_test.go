package words

import "testing"

func TestWords(t *testing.T) {
	for got, want := range map[string]string{
		Count(0, "record"): "0 records", Count(1, "record"): "1 record", Count(2, "record"): "2 records",
		And(): "", And("a"): "a", And("a", "b"): "a and b", And("a", "b", "c"): "a, b and c",
		AndMore(2, "a"): "a", AndMore(2, "a", "b"): "a and b", AndMore(2, "a", "b", "c"): "a, b and 1 more",
	} {
		if got != want {
			t.Errorf("it says %q, want %q", got, want)
		}
	}
}
