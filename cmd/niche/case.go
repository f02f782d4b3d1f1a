package main

import (
	"fmt"
	"io"
	"os"
	"slices"

	"github.com/spf13/cobra"

	"niche/core/casefile"
	"niche/core/offer"
	"niche/core/span"
)

// readCase reads the case in a file, or on standard input for "-".
func readCase(cmd *cobra.Command, path string) (offer.Question, error) {
	var in io.Reader = cmd.InOrStdin()
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return offer.Question{}, badInput{err}
		}
		defer func() { _ = f.Close() }()
		in = f
	}
	q, err := casefile.Read(in)
	if err != nil {
		err = badInput{err}
	}
	return q, err
}

func offersCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "offers CASE.json",
		Short: "Answer a case from a file: which starts are offered, and why the others are not",
		Long:  "Prints the answer to a case as JSON. - reads the case from standard input.",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			q, err := readCase(cmd, args[0])
			if err != nil {
				return err
			}
			return casefile.Solve(q).Write(cmd.OutOrStdout())
		},
	}
}

func whyCommand() *cobra.Command {
	var at, staff string
	cmd := &cobra.Command{
		Use:   "why CASE.json --at INSTANT --staff ID",
		Short: "Tell why a start is offered or refused",
		Long:  "Prints what each rule says of one start of one staff member. - reads the case from standard input.",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			q, err := readCase(cmd, args[0])
			if err != nil {
				return err
			}
			instant, err := span.Parse(at)
			if err != nil {
				return badInput{fmt.Errorf("--at: %w", err)}
			}
			n := slices.IndexFunc(q.Staff, func(s offer.Staff) bool { return s.ID == staff })
			if n < 0 {
				return badInput{fmt.Errorf("--staff: %q is not in the case", staff)}
			}
			_, err = fmt.Fprint(cmd.OutOrStdout(), told(q, n, q.Explain(instant, n)))
			return err
		},
	}
	cmd.Flags().StringVar(&at, "at", "", "the start, as in 2026-03-03T10:00:00Z")
	cmd.Flags().StringVar(&staff, "staff", "", "the staff member's id")
	_ = cmd.MarkFlagRequired("at")
	_ = cmd.MarkFlagRequired("staff")
	return cmd
}

// told writes a trail as sentences.
func told(q offer.Question, staff int, t offer.Trail) string {
	zone := q.Staff[staff].Schedule.Zone
	verdict := "offered"
	if !t.Offered() {
		verdict = "not offered"
	}
	text := fmt.Sprintf("%s (%s) with %s: %s.\n", t.At.Time().In(zone.Location()).Format("15:04 on Mon 2 Jan 2006"), zone, t.Staff, verdict)
	if t.Offset != "" {
		text += "  ✗ " + t.Offset + "\n"
	}
	for _, v := range t.Verdicts {
		mark := "✓"
		if v.Refused {
			mark = "✗"
		}
		text += fmt.Sprintf("  %s %-13s %s\n", mark, v.Code, v.Detail)
	}
	if q.Service.Staffing == offer.AllOfThem && len(q.Staff) > 1 {
		text += "All of the staff are needed for this service; this is what holds for one of them.\n"
	}
	return text
}
