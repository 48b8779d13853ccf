package sheet

import "testing"

func TestAppendClock(t *testing.T) {
	for seconds, want := range map[int]string{
		0: "00:00:00", 9: "00:00:09", 10: "00:00:10", 59: "00:00:59", 60: "00:01:00", 3599: "00:59:59",
		3600:  "01:00:00",
		49506: "13:45:06", 129907: "36:05:07", 360000: "100:00:00", -5400: "-01:30:00", -1: "-00:00:01",
	} {
		if got := string(AppendClock([]byte("at "), seconds)); got != "at "+want {
			t.Errorf("%d seconds are %q, want %q", seconds, got, want)
		}
	}
}

func TestFormatCode(t *testing.T) {
	for _, c := range []struct {
		number, pattern, want string
		ok                    bool
	}{
		{"417", "00000", "00417", true}, {"417", "K-00000", "K-00417", true}, {"417", "000/00", "004/17", true},
		{"41705", "000-00", "417-05", true},
		{"1234567", "K-0000", "K-1234567", true}, {"-417", "K-00000", "-K-00417", true}, {"0", "00", "00", true},
		{"5", "00X", "05X", true},
		{"-", "00", "-00", true}, {"5551234", "(000) 0000", "(555) 1234", true}, {"4.5", "000", "", false},
		{"", "00", "00", true},
	} {
		if got, ok := FormatCode([]byte(c.number), c.pattern); got != c.want || ok != c.ok {
			t.Errorf("%s in %s is %q, %v; want %q, %v", c.number, c.pattern, got, ok, c.want, c.ok)
		}
	}
}
