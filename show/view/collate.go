package view

import (
	"lastblock/core/capability/collate"
	"lastblock/core/source"
	"lastblock/show"
)

// CollateDocument is the JSON of a collation, or of a command that makes one. out is where it was
// written, "" for nowhere.
func CollateDocument(command, out string, set *source.Set, r *collate.Result) show.Object {
	doc := show.NewDocument(command)
	sources := []show.Object{}
	for i := range set.Sources {
		sources = append(sources, sourceObject(set, i))
	}
	doc.Add("sources", sources)
	doc.Add("columns", r.Columns)
	doc.Add("rows", r.Records)
	if out != "" {
		doc.Add("out", out)
	}
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}
