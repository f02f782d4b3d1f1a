package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
)

// busyAnswer is what the command prints.
type busyAnswer struct {
	Busy    []busySpan    `json:"busy"`
	Skipped []skippedPart `json:"skipped"`
	More    int           `json:"moreSkipped,omitempty"`
}

type busySpan struct {
	Start span.Instant `json:"start"`
	End   span.Instant `json:"end"`
}

type skippedPart struct {
	UID    string `json:"uid"`
	Reason string `json:"reason"`
}

func busyCommand() *cobra.Command {
	var from, to, zone string
	var owner []string
	cmd := &cobra.Command{
		Use:   "busy FILE.ics",
		Short: "Print the busy time in iCalendar data",
		Long: "Print when the events in a file of iCalendar data take time, as JSON: merged, in order and clipped\n" +
			"to the window, and what of the file could not be read. FILE - is standard input.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			sc, err := busyScope(from, to, zone)
			if err != nil {
				return badInput{err}
			}
			sc.Owner = owner
			in := cmd.InOrStdin()
			if args[0] != "-" {
				file, err := os.Open(args[0])
				if err != nil {
					return badInput{err}
				}
				defer func() { _ = file.Close() }()
				in = file
			}
			answer, err := busy(in, sc)
			if err != nil {
				return badInput{fmt.Errorf("%s: %w", args[0], err)}
			}
			enc := json.NewEncoder(cmd.OutOrStdout())
			enc.SetIndent("", "  ")
			enc.SetEscapeHTML(false)
			return enc.Encode(answer)
		},
	}
	flags := cmd.Flags()
	flags.StringVar(&from, "from", "", "first instant of the window, as in 2026-03-02T08:00:00Z")
	flags.StringVar(&to, "to", "", "the instant at which the window ends")
	flags.StringVar(&zone, "zone", "", "the owner's time zone, as in Europe/Dublin: of floating times and whole days")
	flags.StringSliceVar(&owner, "owner", nil, "a mail address of the owner, whose declined events take no time")
	for _, name := range []string{"from", "to", "zone"} {
		_ = cmd.MarkFlagRequired(name)
	}
	return cmd
}

// busyScope reads the flags, and reports every fault at once.
func busyScope(from, to, zone string) (sc ics.Scope, err error) {
	start, err1 := span.Parse(from)
	end, err2 := span.Parse(to)
	sc.Zone, err = hours.LoadZone(zone)
	name := func(flag string, err error) error {
		if err == nil {
			return nil
		}
		return fmt.Errorf("--%s: %w", flag, err)
	}
	err = errors.Join(name("from", err1), name("to", err2), name("zone", err))
	if err == nil && end < start {
		err = errors.New("--to: the window ends before it begins")
	}
	sc.Window = span.Between(start, end)
	return sc, err
}

func busy(in io.Reader, sc ics.Scope) (busyAnswer, error) {
	out := busyAnswer{Busy: []busySpan{}, Skipped: []skippedPart{}}
	reading, err := ics.ReadBusy(in, sc)
	if err != nil {
		return out, err
	}
	var all []span.Span
	for _, e := range reading.Events {
		for _, o := range e.Occurrences {
			all = append(all, o.During)
		}
	}
	for _, s := range span.Of(all).Clip(sc.Window).Spans() {
		out.Busy = append(out.Busy, busySpan{s.Start(), s.End()})
	}
	for _, s := range reading.Skipped {
		out.Skipped = append(out.Skipped, skippedPart{s.UID, s.Reason})
	}
	out.More = reading.MoreSkipped
	return out, nil
}
