package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"velvetgrime/internal/build"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"

	"github.com/spf13/cobra"
)

func clearCommand() *cobra.Command {
	var dsn string
	var dry bool
	keep := store.Usual
	days := func(c *cobra.Command, d *time.Duration, name, help string) {
		c.Flags().DurationVar(d, name, *d, help)
	}
	c := &cobra.Command{Use: "clear", Short: "Clear away what nothing reaches any more", Args: cobra.NoArgs,
		Long: "Clear away deleted projects that have expired, results of old jobs, and what no ledger, stock\nor job reaches any more. A server does it by itself now and then. What a ledger can still go\nback to is never taken.",
		RunE: func(c *cobra.Command, _ []string) error {
			if dsn == "" {
				return errors.New("no database is given; use --database or VELVETGRIME_DATABASE")
			}
			s, err := store.Open(dsn)
			if err != nil {
				return err
			}
			defer s.Close()
			gone, err := s.Clear(c.Context(), keep, build.Sum(), dry)
			if err != nil {
				return fmt.Errorf("nothing was cleared away: %w", err)
			}
			return tellGone(c.OutOrStdout(), gone, dry)
		}}
	c.Flags().StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string (or VELVETGRIME_DATABASE)")
	c.Flags().BoolVar(&dry, "dry-run", false, "only list what would be taken")
	days(c, &keep.Bin, "bin", "how long deleted projects and items of the stock are kept")
	days(c, &keep.Loose, "loose", "how long something must have been out of reach")
	days(c, &keep.Results, "results", "how long jobs that ended and what they made are kept")
	days(c, &keep.Pieces, "pieces", "how long the pieces of jobs that ended are kept")
	return c
}

// tellGone lists what was taken, or would be.
func tellGone(w io.Writer, gone []store.Gone, dry bool) error {
	for _, g := range gone {
		if _, err := fmt.Fprintf(w, "%-9s %10.2f MiB  %s\n", g.What, float64(g.Bytes)/(1<<20), g.Name); err != nil {
			return err
		}
	}
	word := "cleared away: "
	if dry {
		word = "would be cleared away: "
	}
	sum := jobs.Sum(gone)
	if sum == "" {
		sum = "nothing"
	}
	_, err := fmt.Fprintln(w, word+sum)
	return err
}
