package serve

import (
	"context"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"niche/core/span"
	"niche/internal/store"
)

// gauges tell what stands in the database, when somebody asks.
type gauges struct {
	db  *store.DB
	now func() time.Time
}

// gauge is one of them. It counts; it names nobody.
type gauge struct {
	desc *prometheus.Desc
	ask  func(tx store.Tx, now span.Instant) ([]store.Count, error)
}

func described(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc(name, help, labels, nil)
}

var allGauges = []gauge{
	{described("niche_calendars", "Calendars that are read, by state.", "state"), func(tx store.Tx, _ span.Instant) ([]store.Count, error) { return tx.CalendarCounts() }},
	{described("niche_copies", "Copies of bookings, by state.", "state"), func(tx store.Tx, _ span.Instant) ([]store.Count, error) { return tx.CopyCounts() }},
	{described("niche_clashes_open", "Clashes that are open."), func(tx store.Tx, _ span.Instant) ([]store.Count, error) { return tx.OpenClashes() }},
	{described("niche_busy_spans", "Busy spans that count, over all calendars that block."), func(tx store.Tx, _ span.Instant) ([]store.Count, error) { return tx.BusySpanCount() }},
	{described("niche_oldest_read_seconds", "Time since the calendar that was read longest ago, of those that are read."), store.Tx.OldestRead},
	{described("niche_calendars_due", "Calendars whose time to be read has come."), store.Tx.CalendarsDue},
}

// scrapeTime is how long the database may take for one look at the gauges.
const scrapeTime = 5 * time.Second

// Describe sends the descriptions of all gauges.
func (g gauges) Describe(to chan<- *prometheus.Desc) {
	for _, one := range allGauges {
		to <- one.desc
	}
}

// Collect sends the present values of all gauges.
func (g gauges) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), scrapeTime)
	defer cancel()
	for _, one := range allGauges {
		counts, err := one.ask(g.db.Read(ctx), span.At(g.now()))
		if err != nil {
			to <- prometheus.NewInvalidMetric(one.desc, err)
			continue
		}
		for _, c := range counts {
			var labels []string
			if c.State != "" {
				labels = []string{c.State}
			}
			to <- prometheus.MustNewConstMetric(one.desc, prometheus.GaugeValue, c.Count, labels...)
		}
	}
}
