package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"niche/core/span"
	"niche/internal/proof"
	"niche/internal/store"
)

// The exit codes of prove, beside 2 for bad input.
const (
	exitNotHeld  = 1 // some proof failed, or was stopped
	exitNotTaken = 3 // nobody took the proofs up
)

func proveCommand() *cobra.Command {
	var data string
	var staff []string
	var asJSON bool
	var within time.Duration // how long a Niche may take to take proofs up
	cmd := &cobra.Command{
		Use:   "prove",
		Short: "Have links proved by the Niche that is at work on a data folder",
		Long: "Asks for a proof of every link, or of those of some people, and waits until all have ended.\n" +
			"Exit codes, for monitoring: 0 all held, 1 some did not, 2 bad input, 3 no Niche took them up.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			db, err := store.OpenBeside(data)
			if err != nil {
				return badInput{fmt.Errorf("--data: %w", err)}
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			return prove(cmd.Context(), db, staff, asJSON, within, cmd.OutOrStdout())
		},
	}
	cmd.Flags().StringVar(&data, "data", "niche-data", "data folder")
	cmd.Flags().StringArrayVar(&staff, "staff", nil, "the name of a staff member; everybody when none is given")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the evidence as JSON, by docs/proof.schema.json")
	cmd.Flags().DurationVar(&within, "within", 20*time.Second, "how long nobody may take a proof up")
	return cmd
}

// prove asks for proofs and waits for them.
func prove(ctx context.Context, db *store.DB, staff []string, asJSON bool, within time.Duration, out io.Writer) error {
	links, err := linksOf(db.Read(ctx), staff)
	if err != nil {
		return err
	}
	var asked []store.ID
	err = db.Write(ctx, func(tx store.Tx) error {
		if _, err := proof.Ask(tx, links, "the command line", span.At(time.Now())); err != nil {
			return err
		}
		all, err := tx.Provables()
		asked = asked[:0]
		for _, l := range all {
			if l.OpenID != 0 && (len(links) == 0 || slices.Contains(links, l.LinkID)) {
				asked = append(asked, l.OpenID)
			}
		}
		return err
	})
	if errors.Is(err, proof.ErrNoLinks) {
		return badInput{err}
	}
	if err != nil {
		return err
	}
	list, err := ended(ctx, db, asked, within)
	if err != nil {
		return err
	}
	return tell(list, asJSON, out)
}

// linksOf returns the links of people by name; none for everybody's.
func linksOf(tx store.Tx, staff []string) (links []store.ID, err error) {
	all, err := tx.Provables()
	for _, name := range staff {
		before := len(links)
		for _, l := range all {
			if strings.EqualFold(l.Staff, strings.TrimSpace(name)) {
				links = append(links, l.LinkID)
			}
		}
		if len(links) == before {
			return nil, badInput{fmt.Errorf("--staff: nobody called %q has a link", name)}
		}
	}
	return links, err
}

// ended waits until proofs have ended.
func ended(ctx context.Context, db *store.DB, asked []store.ID, within time.Duration) ([]store.Proof, error) {
	tick := time.NewTicker(300 * time.Millisecond)
	defer tick.Stop()
	tx, last, before := db.Read(ctx), time.Now(), ""
	for {
		list, waits, now := []store.Proof{}, 0, ""
		for _, id := range asked {
			p, err := tx.Proof(id)
			if err != nil {
				return nil, fmt.Errorf("waiting for a proof: %w", err)
			}
			if p.State == store.ProofWaiting || p.State == store.ProofRunning {
				waits++
			}
			list, now = append(list, p), now+fmt.Sprint(p.State, len(p.Report), ";")
		}
		if waits == 0 {
			return list, nil
		}
		if now != before {
			last, before = time.Now(), now
		}
		if running, err := tx.ProofsIn(store.ProofRunning); err != nil {
			return nil, err
		} else if len(running) == 0 && time.Since(last) > within {
			err := db.Write(ctx, func(tx store.Tx) (err error) {
				for _, p := range list {
					if p.State == store.ProofWaiting {
						p.State, p.Words, p.EndedAt = store.ProofStopped, "nobody took it up", span.At(time.Now())
						err = errors.Join(err, tx.SaveProof(p))
					}
				}
				return err
			})
			return nil, errors.Join(ending{errors.New("no Niche that is at work on this data folder has taken the proofs up"), exitNotTaken}, err)
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-tick.C:
		}
	}
}

// tell prints what came of proofs.
func tell(list []store.Proof, asJSON bool, out io.Writer) error {
	failed := 0
	reports := make([]proof.Report, len(list))
	for i, p := range list {
		var err error
		if reports[i], err = proof.ReportOf(p); err != nil {
			return err
		}
		if p.State != store.ProofHeld {
			failed++
		}
		if !asJSON {
			fmt.Fprintf(out, "%-8s%s at %s: %s\n", p.State, reports[i].Staff.Name, reports[i].Host, p.Words)
		}
	}
	if asJSON {
		enc := json.NewEncoder(out)
		enc.SetIndent("", "  ")
		if err := enc.Encode(reports); err != nil {
			return err
		}
	}
	if failed > 0 {
		return ending{fmt.Errorf("%d of %d proofs did not hold", failed, len(list)), exitNotHeld}
	}
	return nil
}
