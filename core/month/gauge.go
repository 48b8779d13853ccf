package month

import (
	"lastblock/core/capability/gauge"
	"lastblock/core/option"
)

// Gauge is a description of columns.
type Gauge struct {
	Reading
	Writing
	Each     bool
	Frequent int
}

// NewGauge is one with what is usual.
func NewGauge() *Gauge { return &Gauge{Reading: newReading(), Frequent: 3} }

func (t *Gauge) Name() string { return "gauge" }

func (t *Gauge) Sources() *Reading { return &t.Reading }

func (t *Gauge) Options() option.List {
	return option.List{
		{Word: "each", Value: &t.Each, Meaning: "of each source, too"},
		{Word: "frequent", Value: &t.Frequent, Meaning: "how many of the most frequent values to show"},
		t.suspense(), t.shield(), t.replace(),
	}
}

// Ask is what is asked for.
func (t *Gauge) Ask() gauge.Options { return gauge.Options{Each: t.Each, Frequent: t.Frequent} }
