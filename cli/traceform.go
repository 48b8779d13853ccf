package cli

import (
	"context"
	"errors"
	"io"

	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"
)

// runTraceForm traces a figure of a grid.
func (a *app) runTraceForm(ctx context.Context, t *wantedTrace, format show.Format, packed string) (err error) {
	traced, err := a.plan.TraceForm(ctx, t.Tracing, t.say, machine())
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, traced.Close()) }()
	shown := &view.TraceForm{TracedForm: traced, AsSealed: t.AsSealed && traced.Known, File: t.handed, Most: t.Top}
	if t.All {
		shown.Most = 0
	}
	if t.handed != "" {
		figure, has, err := month.GridFigureIn(ctx, t.handed, traced, machine())
		if err != nil {
			return err
		}
		if has {
			shown.InFile = &figure
		}
	}
	write := func(w io.Writer) error { return shown.Write(w, format, packed, t.Shield) }
	if err := a.writeTraced(t, write); err != nil {
		return err
	}
	if t.JSON {
		return shown.Document(a.stdout)
	}
	shown.Print(a.stdout, t.Out)
	return nil
}
