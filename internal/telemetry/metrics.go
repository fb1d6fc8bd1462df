// Package telemetry is what whoever runs the service watches: counts and times in
// OpenMetrics, and traces and logs by OpenTelemetry where an endpoint is given. It tells of
// routes, jobs, queues and connections, and never of people or entries.
package telemetry

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Metrics counts. A nil Metrics counts nothing.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	took     *prometheus.HistogramVec
	jobs     *prometheus.CounterVec
	jobTook  *prometheus.HistogramVec
	jobLast  *prometheus.GaugeVec
	asked    *prometheus.CounterVec
	askTook  *prometheus.HistogramVec

	routes sync.Map // of route: what counts it
}

// route names what is counted together.
type route struct {
	method, path string
	status       int
}

// counted is what counts a route.
type counted struct {
	requests prometheus.Counter
	took     prometheus.Observer
}

// Buckets of times, in seconds: of requests and jobs, and of models, which take longer.
var (
	quick = []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30}
	slow  = []float64{.1, .25, .5, 1, 2.5, 5, 10, 20, 40, 60, 120, 300}
)

// NewMetrics gives counts that begin at nothing. The version is that of the program.
func NewMetrics(version string) *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "goldshelf_http_requests_total", Help: "Requests that were answered."}, []string{"method", "route", "status"}),
		took:     prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "goldshelf_http_request_seconds", Help: "How long it took to answer a request.", Buckets: quick}, []string{"method", "route"}),
		jobs:     prometheus.NewCounterVec(prometheus.CounterOpts{Name: "goldshelf_job_runs_total", Help: "How often a job was done."}, []string{"job", "outcome"}),
		jobTook:  prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "goldshelf_job_seconds", Help: "How long it took to do a job.", Buckets: quick}, []string{"job"}),
		jobLast:  prometheus.NewGaugeVec(prometheus.GaugeOpts{Name: "goldshelf_job_last_success_timestamp_seconds", Help: "When a job was last done without an error."}, []string{"job"}),
		asked:    prometheus.NewCounterVec(prometheus.CounterOpts{Name: "goldshelf_model_requests_total", Help: "How often a connection was asked for a reply."}, []string{"connection", "outcome"}),
		askTook:  prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "goldshelf_model_request_seconds", Help: "How long a reply took.", Buckets: slow}, []string{"connection"}),
	}
	info := prometheus.NewGauge(prometheus.GaugeOpts{Name: "goldshelf_build_info", Help: "Which program this is.", ConstLabels: prometheus.Labels{"version": version}})
	info.Set(1)
	m.registry.MustRegister(m.requests, m.took, m.jobs, m.jobTook, m.jobLast, m.asked, m.askTook, info,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions}

// Request counts a request that was answered.
func (m *Metrics) Request(method, path string, status int, took time.Duration) {
	if m == nil {
		return
	}
	if !slices.Contains(methods, method) {
		method = "other" // whoever calls may make words up
	}
	key := route{method, path, status}
	c, is := m.routes.Load(key)
	if !is {
		c, _ = m.routes.LoadOrStore(key, &counted{m.requests.WithLabelValues(method, path, strconv.Itoa(status)), m.took.WithLabelValues(method, path)})
	}
	c.(*counted).requests.Inc()
	c.(*counted).took.Observe(took.Seconds())
}

// Begin has every job be told of from now on, as if it had come through at a time: one that never
// comes through is seen by how long ago that is.
func (m *Metrics) Begin(at time.Time, jobs ...string) {
	if m == nil {
		return
	}
	for _, name := range jobs {
		m.jobs.WithLabelValues(name, "failed")
		m.jobs.WithLabelValues(name, "done")
		m.jobLast.WithLabelValues(name).Set(float64(at.Unix()))
	}
}

// Job counts that a job was done.
func (m *Metrics) Job(name string, took time.Duration, err error) {
	if m == nil {
		return
	}
	m.jobTook.WithLabelValues(name).Observe(took.Seconds())
	if err != nil {
		m.jobs.WithLabelValues(name, "failed").Inc()
		return
	}
	m.jobs.WithLabelValues(name, "done").Inc()
	m.jobLast.WithLabelValues(name).SetToCurrentTime()
}

// Asked counts that a connection was asked for a reply.
func (m *Metrics) Asked(connection string, took time.Duration, err error) {
	if m == nil {
		return
	}
	outcome := "done"
	switch {
	case errors.Is(err, context.Canceled):
		outcome = "stopped"
	case err != nil:
		outcome = "failed"
	}
	m.asked.WithLabelValues(connection, outcome).Inc()
	m.askTook.WithLabelValues(connection).Observe(took.Seconds())
}

// Reading is a number that is looked up when it is asked for.
type Reading struct {
	Name   string
	Help   string
	Label  string // its name; empty for none
	Value  string // the label's
	Number float64
}

const (
	readWithin = 2 * time.Second
	readEvery  = 5 * time.Second // at most: whoever asks more often gets the same
)

// Read has numbers be looked up whenever someone asks for the metrics. What cannot be looked
// up is left out.
func (m *Metrics) Read(read func(context.Context) ([]Reading, error)) {
	m.registry.MustRegister(&readings{read: read})
}

// readings are a collector of what is looked up. It is told nothing beforehand.
type readings struct {
	read func(context.Context) ([]Reading, error)

	mu   sync.Mutex
	at   time.Time
	last []Reading
}

func (r *readings) Describe(chan<- *prometheus.Desc) {}

func (r *readings) Collect(out chan<- prometheus.Metric) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if time.Since(r.at) > readEvery {
		ctx, cancel := context.WithTimeout(context.Background(), readWithin)
		defer cancel()
		all, err := r.read(ctx)
		if err != nil {
			all = nil
		}
		r.last, r.at = all, time.Now()
	}
	for _, one := range r.last {
		var names, values []string
		if one.Label != "" {
			names, values = []string{one.Label}, []string{one.Value}
		}
		out <- prometheus.MustNewConstMetric(prometheus.NewDesc(one.Name, one.Help, names, nil), prometheus.GaugeValue, one.Number, values...)
	}
}

// Handler answers with all of it, in OpenMetrics or in the older text format, as whoever asks
// prefers.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{EnableOpenMetrics: true})
}
