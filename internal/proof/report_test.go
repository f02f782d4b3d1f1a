package proof_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/nichetest"
	"niche/internal/proof"
	"niche/internal/store"
)

// A proof says how it differs from an earlier one, and not what is the same.
func TestProofsAreCompared(t *testing.T) {
	report := func(blocks string, steps ...proof.Step) proof.Report {
		return proof.Report{Blocks: []string{blocks}, Gets: []string{"Work"}, Steps: steps}
	}
	step := func(label string, state proof.StepState, millis int64) proof.Step {
		return proof.Step{Key: label, Label: label, State: state, Millis: millis}
	}
	for _, c := range []struct {
		name        string
		now, before proof.Report
		words       string
	}{
		{"the same", report("Family", step("a", proof.Held, 100)), report("Family", step("a", proof.Held, 120)), "nothing differs"},
		{"a step fails by now", report("Family", step("start gone", proof.Failed, 9)), report("Family", step("start gone", proof.Held, 9)), "“start gone” held then"},
		{"a step holds by now", report("Family", step("start gone", proof.Held, 9)), report("Family", step("start gone", proof.Failed, 9)), "“start gone” failed then"},
		{"slower", report("Family", step("a", proof.Held, 1200), step("b", proof.Held, 800)), report("Family", step("a", proof.Held, 300), step("b", proof.Held, 300)), "the same steps took 0.6 s then and 2.0 s now"},
		{"faster", report("Family", step("a", proof.Held, 90)), report("Family", step("a", proof.Held, 900)), "the same steps took 0.9 s then and only 90 ms now"},
		{"slower by little", report("Family", step("a", proof.Held, 90)), report("Family", step("a", proof.Held, 10)), "nothing differs"},
		{"other calendars", report("Personal", step("a", proof.Held, 1)), report("Family", step("a", proof.Held, 1)), "other calendars were chosen then"},
		{"what was not tried is not compared", report("Family", step("a", proof.NotTried, 0)), report("Family", step("a", proof.Held, 5000)), "nothing differs"},
	} {
		require.Equal(t, c.words, proof.Compared(c.now, c.before), c.name)
	}
}

// The moment at which everybody's links are to be proved is that of the business's clock, also where that jumps.
func TestTheScheduleKeepsTheBusinessesClock(t *testing.T) {
	dublin, err := hours.LoadZone("Europe/Dublin")
	require.NoError(t, err)
	for _, c := range []struct {
		day, minute int
		now, due    string // by UTC
	}{
		{1, 300, "2026-03-02T08:00:00Z", "2026-03-02T05:00:00Z"},  // a Monday
		{1, 300, "2026-03-02T04:59:59Z", "2026-02-23T05:00:00Z"},  // just before
		{7, 300, "2026-03-02T08:00:00Z", "2026-03-01T05:00:00Z"},  // the Sunday before
		{1, 300, "2026-03-30T08:00:00Z", "2026-03-30T04:00:00Z"},  // the clock has gone forward
		{7, 90, "2026-03-29T12:00:00Z", "2026-03-29T01:00:00Z"},   // at a time that the clock skips
		{1, 1439, "2026-10-26T23:58:00Z", "2026-10-19T22:59:00Z"}, // before the clock goes back, seen from after
	} {
		due := proof.DueSince(store.Business{ProofDay: c.day, ProofMinute: c.minute}, dublin, nichetest.At(c.now))
		require.Equal(t, c.due, due.String(), c)
	}
	require.Equal(t, span.Instant(0), proof.DueSince(store.Business{}, dublin, nichetest.At("2026-03-02T08:00:00Z")))
}
