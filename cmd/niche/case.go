package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"niche/core/casefile"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/store"
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
	var at, staff, data, reference string
	var printCase bool
	cmd := &cobra.Command{
		Use:   "why (CASE.json --at INSTANT --staff ID | --data FOLDER --booking REFERENCE)",
		Short: "Tell why a start is offered or refused, or why a booking was taken",
		Long: "Prints what each rule says of one start of one staff member. - reads the case from standard input.\n" +
			"With --booking, the case is the one by which a booking was decided, out of a data folder that a Niche may be at work on.",
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if reference != "" || data != "" {
				if len(args) > 0 || at != "" || staff != "" || reference == "" || data == "" {
					return badInput{errors.New("--booking and --data go together, and without a case, --at and --staff")}
				}
				text, err := whyBooked(cmd.Context(), data, reference, printCase)
				if err == nil {
					_, err = fmt.Fprint(cmd.OutOrStdout(), text)
				}
				return err
			}
			if len(args) == 0 || at == "" || staff == "" {
				return badInput{errors.New("give a case with --at and --staff, or --data with --booking")}
			}
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
	flags := cmd.Flags()
	flags.StringVar(&at, "at", "", "the start, as in 2026-03-03T10:00:00Z")
	flags.StringVar(&staff, "staff", "", "the staff member's id")
	flags.StringVar(&data, "data", "", "data folder, with --booking")
	flags.StringVar(&reference, "booking", "", "the reference of a booking")
	flags.BoolVar(&printCase, "case", false, "print the case of the booking itself, as offers reads it")
	return cmd
}

// whyBooked tells how a booking was decided, from a data folder.
func whyBooked(ctx context.Context, data, reference string, printCase bool) (string, error) {
	db, err := store.OpenToRead(data)
	if err != nil {
		return "", badInput{fmt.Errorf("--data: %w", err)}
	}
	defer func() { _ = db.Close() }()
	tx := db.Read(ctx)
	k, err := tx.BookingByReference(strings.ToUpper(strings.TrimSpace(reference)))
	if store.IsMissing(err) {
		return "", badInput{fmt.Errorf("--booking: there is no booking %q", reference)}
	}
	if err != nil {
		return "", err
	}
	d, err := booking.DecisionOf(tx, k.ID)
	if store.IsMissing(err) {
		return "", fmt.Errorf("booking %s was taken before it was kept how", k.Reference)
	}
	if err != nil {
		return "", err
	}
	if printCase {
		return d.Text + "\n", nil
	}
	names, err := tx.StaffNames()
	if err != nil {
		return "", err
	}
	text := fmt.Sprintf("Booking %s, decided at %s. %s\n", k.Reference, d.At, d.LookWords())
	for i, s := range d.Question.Staff {
		trail := d.Question.Explain(d.Start, i)
		id, _ := strconv.ParseInt(s.ID, 10, 64)
		if name, known := names[store.ID(id)]; known {
			trail.Staff = name
		}
		text += told(d.Question, i, trail)
	}
	return text, nil
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
