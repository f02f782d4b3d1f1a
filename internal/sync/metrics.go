package sync

import (
	"context"
	"database/sql"
	"strings"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"niche/core/span"
)

// counts are what the engine counts while it works.
type counts struct {
	reads   *prometheus.CounterVec
	writes  *prometheus.CounterVec
	lasted  prometheus.Histogram
	objects prometheus.Counter
}

func newCounts() counts {
	return counts{
		reads: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "niche_reads_total",
			Help: "Calendars read, by what came of it: unchanged, changed or failed."}, []string{"result"}),
		writes: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "niche_writes_total",
			Help: "Tries to write or remove a copy, by what came of it: done or failed."}, []string{"result"}),
		lasted: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "niche_read_seconds",
			Help: "How long it took to read a calendar.", Buckets: prometheus.ExponentialBuckets(0.005, 2, 13)}),
		objects: prometheus.NewCounter(prometheus.CounterOpts{Name: "niche_events_expanded_total",
			Help: "Events that were fetched and expanded into busy spans."}),
	}
}

// gauges are what is read from the database when somebody asks.
var gauges = map[*prometheus.Desc]string{
	prometheus.NewDesc("niche_calendars", "Calendars in use, by state.", []string{"state"}, nil): "SELECT state, COUNT(*) AS count FROM calendars WHERE blocks OR gets_bookings GROUP BY state",
	prometheus.NewDesc("niche_copies", "Copies of bookings, by state.", []string{"state"}, nil):  "SELECT state, COUNT(*) AS count FROM copies GROUP BY state",
	prometheus.NewDesc("niche_clashes_open", "Clashes that are open.", nil, nil):                 "SELECT '' AS state, COUNT(*) AS count FROM clashes WHERE closed_at = 0",
	prometheus.NewDesc("niche_busy_spans", "Busy spans that are kept.", nil, nil):                "SELECT '' AS state, COUNT(*) AS count FROM busy_spans",
	prometheus.NewDesc("niche_oldest_read_seconds", "Time since the calendar that was read longest ago, of those in use that were read.", nil, nil): `SELECT '' AS state, COALESCE(@now - MIN(read_at), 0) AS count
		FROM calendars WHERE (blocks OR gets_bookings) AND read_at > 0`,
	prometheus.NewDesc("niche_calendars_due", "Calendars whose time to be read has come.", nil, nil): "SELECT '' AS state, COUNT(*) AS count FROM calendars WHERE (blocks OR gets_bookings) AND next_at <= @now",
}

// scrapeTime is how long the database may take for one look at the gauges.
const scrapeTime = 5 * time.Second

// Describe sends the descriptions of all metrics.
func (e *Engine) Describe(to chan<- *prometheus.Desc) {
	e.counts.reads.Describe(to)
	e.counts.writes.Describe(to)
	e.counts.lasted.Describe(to)
	e.counts.objects.Describe(to)
	for d := range gauges {
		to <- d
	}
}

// Collect sends the present values of all metrics. They count; they name nobody.
func (e *Engine) Collect(to chan<- prometheus.Metric) {
	e.counts.reads.Collect(to)
	e.counts.writes.Collect(to)
	e.counts.lasted.Collect(to)
	e.counts.objects.Collect(to)
	ctx, cancel := context.WithTimeout(context.Background(), scrapeTime)
	defer cancel()
	for d, query := range gauges {
		if err := e.gauge(ctx, d, query, to); err != nil {
			to <- prometheus.NewInvalidMetric(d, err)
		}
	}
}

// gauge sends what a query counts, by state where it gives one.
func (e *Engine) gauge(ctx context.Context, d *prometheus.Desc, query string, to chan<- prometheus.Metric) error {
	var values []any
	if strings.Contains(query, "@now") {
		values = append(values, sql.Named("now", span.At(e.Now())))
	}
	var rows []struct {
		State string
		Count float64
	}
	if err := e.DB.Read(ctx).Raw(query, values...).Scan(&rows).Error; err != nil {
		return err
	}
	for _, r := range rows {
		var labels []string
		if r.State != "" {
			labels = []string{r.State}
		}
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, r.Count, labels...)
	}
	return nil
}
