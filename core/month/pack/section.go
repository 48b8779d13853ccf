package pack

// The sections of a report, by the words with which they are asked for.
const (
	KeyFigures    = "figures"
	WhoFiled      = "filed"
	OfSummaries   = "summary"
	OfBridges     = "bridge"
	ControlTotals = "control"
	OfDoubles     = "doubles"
	OfStatements  = "reconciliation"
	OfGrids       = "grids"
	OfFindings    = "findings"
	InSuspense    = "suspense"
	OfSources     = "sources"
	OfProof       = "proof"
)

// Sections are all sections in their order.
func Sections() []string {
	return []string{KeyFigures, WhoFiled, OfSummaries, OfBridges, ControlTotals, OfDoubles, OfStatements, OfGrids,
		OfFindings, InSuspense, OfSources, OfProof}
}
