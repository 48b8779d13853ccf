package expression

import "lastblock/core/record"

// Form is what is known of the values of a column, or of a result, before any of
// them is: of which kind they are, and who wrote their texts.
type Form struct {
	// Kind is text where nothing more is known.
	Kind record.Kind
	// AsSent says of texts that they stand as the source wrote them, so that an amount
	// in them has the source's decimal mark. Any other text has a point.
	AsSent bool
}

// Sent is the form of a column of which nothing was said.
var Sent = Form{Kind: record.Text, AsSent: true}

// formOf is the form of results of which the kind is known when the expression is read.
func formOf(k kind) func([]Form) Form {
	form := Form{Kind: record.Text}
	switch k {
	case numberKind:
		form.Kind = record.Amount
	case dateKind:
		form.Kind = record.Date
	case flagKind:
		form.Kind = record.Flag
	}
	return func([]Form) Form { return form }
}

// textForm is the form of a text that is made of the arguments: as sent where any
// part of it is.
func textForm(arguments []node) func([]Form) Form {
	return func(columns []Form) Form {
		form := Form{Kind: record.Text}
		for i := range arguments {
			of := arguments[i].form(columns)
			form.AsSent = form.AsSent || of.Kind == record.Text && of.AsSent
		}
		return form
	}
}

// sumForm is the form of a sum, which joins texts where one of them is written in
// the expression.
func sumForm(arguments []node) func([]Form) Form {
	if k := addResult(arguments); k != textKind {
		return formOf(k)
	}
	return textForm(arguments)
}

// eitherForm is the form of a ? b : c. A blank is of any kind, and a text as it was
// sent is read as what the other branch gives.
func eitherForm(arguments []node) func([]Form) Form {
	yes, no := arguments[1], arguments[2]
	return func(columns []Form) Form {
		a, b := yes.form(columns), no.form(columns)
		switch {
		case yes.isNothing(), a.Kind == record.Text && a.AsSent && b.Kind != record.Text:
			return b
		case no.isNothing(), b.Kind == record.Text && b.AsSent && a.Kind != record.Text:
			return a
		case a.Kind != b.Kind:
			return Form{Kind: record.Text}
		}
		return Form{Kind: a.Kind, AsSent: a.AsSent || b.AsSent}
	}
}

// checkBranches refuses branches that can never be of one kind.
func checkBranches(n []node) string {
	a, b := &n[1], &n[2]
	known := func(n *node) bool { return n.kind != columnKind && n.kind != blankKind && !n.isNothing() }
	if known(a) && known(b) && a.kind != b.kind {
		return "one branch gives " + a.kind.String() + " and the other " + b.kind.String() +
			"; string(…) makes a text of either"
	}
	return ""
}

// branchKind is the kind of a ? b : c, as far as it is known.
func branchKind(n []node) kind {
	a, b := &n[1], &n[2]
	switch {
	case a.isNothing():
		return b.kind
	case b.isNothing(), a.kind == b.kind:
		return a.kind
	case a.kind == columnKind:
		return b.kind
	}
	return a.kind
}
