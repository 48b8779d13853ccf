package doubles

import (
	"strings"

	"lastblock/core/option"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// Request is a search for doubles in the words of a plan or a command line.
type Request struct {
	Totals []string
	Share  string
	On     []string
	Key    []string
	Loose  []string
	Near   []string
	Across bool
	Within bool
	Keep   string
}

// NewRequest is a request with nothing but what is usual.
func NewRequest() Request { return Request{Share: DefaultShare.String() + "%"} }

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "total", Value: &r.Totals, Columns: option.DataColumns, Meaning: "amount columns whose money is told"},
		{Word: "overlap-share", Value: &r.Share,
			Meaning: "files overlap from such a share of the smaller one's records on"},
		{Word: "on", Value: &r.On, Columns: option.DataColumns,
			Meaning: "records are the same where these columns are (all columns)"},
		{Word: "key", Value: &r.Key, Columns: option.DataColumns,
			Meaning: "columns by which a record is known: one key with different values is told"},
		{Word: "loose", Value: &r.Loose, Meaning: "what makes no difference in a key: blanks, case, zeros (in " +
			"front), punctuation"},
		{Word: "near", Value: &r.Near, Whole: true,
			Meaning: "report records that are almost the same, e.g. 'amount:0.01, posted:3d, document:1, party:same'"},
		{Word: "across-only", Value: &r.Across, Meaning: "report only records found in several sources"},
		{Word: "within-only", Value: &r.Within, Meaning: "report only records found several times in one source"},
		{Word: "keep", Value: &r.Keep, Meaning: "propose what to keep: first, last, newest-file, largest-file or none"},
	}
}

// Read reads a request. amounts are columns that are read as amounts whatever is in them. The
// error is an *option.Error.
func (r *Request) Read(amounts []string) (o Options, err error) {
	if err := r.Options().Distinct(); err != nil {
		return o, err
	}
	o = Options{Totals: r.Totals, On: r.On, Key: r.Key, Across: r.Across, Within: r.Within}
	switch {
	case r.Across && r.Within:
		return o, option.Errorf("across-only", "it does not go together with ⟨within-only⟩: nothing would be left")
	case len(r.Loose) > 0 && len(r.Key) == 0:
		return o, option.Errorf("loose", "it is about keys, and there is no ⟨key⟩")
	}
	o.Share, err = amount.Parse([]byte(strings.TrimSpace(strings.TrimSuffix(r.Share, "%"))), '.')
	if err != nil || o.Share.Sign() <= 0 || o.Share.Cmp(amount.New(100, 0)) > 0 {
		return o, option.Wrong("overlap-share", r.Share, "a share of more than 0 %% and up to 100 %% is needed, as 5%%")
	}
	if o.Loose, err = equality.ParseLoose(r.Loose); err != nil {
		return o, option.Errorf("loose", "%w", err)
	}
	if r.Keep != "" {
		if o.Keep, err = ParsePolicy(r.Keep); err != nil {
			return o, option.Errorf("keep", "%w", err)
		}
	}
	amounts = append(amounts, r.Totals...)
	for _, text := range r.Near {
		near, err := ParseNear(text, amounts)
		if err != nil {
			return o, option.Errorf("near", "%w", err)
		}
		o.Near = append(o.Near, near)
	}
	return o, nil
}
