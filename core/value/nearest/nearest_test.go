package nearest

import "testing"

func TestTo(t *testing.T) {
	names := []string{"account", "counterparty", "debit", "credit", "id"}
	for given, want := range map[string]string{
		"acount": "account", "Account": "account", "debt": "debit", "DEBIT": "debit", "crdeit": "credit",
		"counter_party": "counterparty", "ib": "id", "posted": "", "xyz": "", "": "", "ied": "id", "idab": "id",
		"iab": "",
	} {
		got, ok := To(given, names)
		if !ok {
			got = ""
		}
		if got != want {
			t.Errorf("%q is near %q, want %q", given, got, want)
		}
	}
}
