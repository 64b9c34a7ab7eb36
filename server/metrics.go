package server

import (
	"context"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"nevrin/app/act"
	"nevrin/app/upkeep"
	"nevrin/store"
	"nevrin/store/statusdb"
)

// metrics are the figures of one server for Prometheus: how requests go, by operation, and how the installation stands.
type metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

func newMetrics(house *act.House, log *slog.Logger) *metrics {
	m := &metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "nevrin_request_seconds", Help: "How long requests took, by operation and by how they ended.",
			Buckets: []float64{0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10},
		}, []string{"operation", "status"}),
	}
	m.registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), m.requests,
		collectors.NewDBStatsCollector(house.Store.Pool(), "nevrin"), &standing{house, log})
	return m
}

// answered counts a request. Streams, which last as long as a window is open, would say nothing; what is no operation has no name of its
// own, whatever was asked for.
func (m *metrics) answered(operation string, status int, took time.Duration) {
	switch {
	case operation == "GET /api/live":
		return
	case status == http.StatusNotFound && strings.HasSuffix(operation, "*"), status == http.StatusMethodNotAllowed:
		operation = "none"
	}
	m.requests.WithLabelValues(operation, strconv.Itoa(status)).Observe(took.Seconds())
}

// standing asks the database how the installation stands whenever somebody asks for figures.
type standing struct {
	house *act.House
	log   *slog.Logger
}

func figure(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("nevrin_"+name, help, labels, nil)
}

var (
	reached  = figure("database_reached", "Whether the database answered.")
	windows  = figure("windows", "Windows that are open at this copy of the program.")
	nightAge = figure("night_age_seconds", "How long ago the work of a night was done last, by the network's clock.")
	backedUp = figure("backup_age_seconds", "How long ago the last base backup was made with nevrin backup.")
	archived = figure("archive_age_seconds", "How long ago PostgreSQL last gave a part of its log to an archive.")
	waiting  = figure("mail_waiting", "Messages that wait to be sent.")
	refused  = figure("mail_refused", "Messages that a mail server has refused.")
	jobs     = figure("jobs", "Jobs that have not been done, by kind and state; retryable ones failed, discarded ones are not retried.", "kind", "state")
	nightRan = figure("night_step_seconds", "How long each step of the last night took.", "step")
	behind   = figure("replica_behind_bytes", "Log of the database that a replica does not have yet.", "replica")
	lag      = figure("replica_lag_seconds", "By how much a replica was late with the last of the log.", "replica")
)

// Describe names what may come.
func (s *standing) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{reached, windows, nightAge, backedUp, archived, waiting, refused, jobs, nightRan, behind, lag} {
		to <- d
	}
}

// asking bounds the question: who gathers figures does not wait for long.
const asking = 5 * time.Second

// Collect asks. Where the database does not answer, that is the figure.
func (s *standing) Collect(to chan<- prometheus.Metric) {
	tell := func(d *prometheus.Desc, value float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	if s.house.Live != nil {
		tell(windows, float64(s.house.Live.Windows()))
	}
	ctx, cancel := context.WithTimeout(context.Background(), asking)
	defer cancel()
	var now time.Time
	var more *statusdb.Figures
	of, err := act.Look(ctx, s.house, act.Machine, func(a *act.Act) (of *upkeep.Status, err error) {
		now = a.Now
		if more, err = statusdb.ReadFigures(a.Tx); err != nil {
			return nil, err
		}
		return upkeep.Stand(a)
	})
	if err != nil {
		s.log.Warn("figures", "error", store.Written(err))
		tell(reached, 0)
		return
	}
	tell(reached, 1)
	tell(waiting, float64(of.Waiting))
	tell(refused, float64(of.Refused))
	if of.NightEnded != nil {
		tell(nightAge, now.Sub(*of.NightEnded).Seconds())
	}
	if of.BackedUp != nil {
		tell(backedUp, time.Since(*of.BackedUp).Seconds())
	}
	if of.Archived != nil {
		tell(archived, time.Since(*of.Archived).Seconds())
	}
	for _, j := range more.Jobs {
		tell(jobs, float64(j.N), j.Kind, j.State)
	}
	for _, n := range more.Night {
		tell(nightRan, n.Seconds, n.Step)
	}
	for _, r := range more.Replicas {
		if r.Bytes != nil {
			tell(behind, *r.Bytes, r.Name)
		}
		if r.Seconds != nil {
			tell(lag, *r.Seconds, r.Name)
		}
	}
}
