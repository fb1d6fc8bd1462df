package telemetry

import (
	"bytes"
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	collectlogs "go.opentelemetry.io/proto/otlp/collector/logs/v1"
	collecttraces "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	traces "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

// scraped is what whoever asks for the metrics gets, in OpenMetrics.
func scraped(t *testing.T, m *Metrics) string {
	t.Helper()
	r := httptest.NewRequest("GET", "/metrics", nil)
	r.Header.Set("Accept", "application/openmetrics-text; version=1.0.0")
	w := httptest.NewRecorder()
	m.Handler().ServeHTTP(w, r)
	if kind := w.Header().Get("Content-Type"); !strings.HasPrefix(kind, "application/openmetrics-text") || !strings.HasSuffix(w.Body.String(), "# EOF\n") {
		t.Errorf("it is %s, and ends in %q", kind, w.Body.String()[max(0, w.Body.Len()-20):])
	}
	return w.Body.String()
}

func TestMetrics(t *testing.T) {
	t.Parallel()
	m := NewMetrics("1.2.3")
	m.Request("GET", "/api/v1/shelf/:ref", 200, 3*time.Millisecond)
	m.Request("GET", "/api/v1/shelf/:ref", 200, 3*time.Millisecond)
	m.Request("GET", "/api/v1/shelf/:ref", 404, time.Millisecond)
	m.Request("NONSENSE", "/", 405, time.Millisecond)
	m.Job("deliveries", time.Second, nil)
	m.Job("deliveries", time.Second, errors.New("no"))
	m.Asked("heron", 2*time.Second, nil)
	m.Asked("heron", 2*time.Second, context.Canceled)
	m.Asked("heron", 2*time.Second, errors.New("away"))
	times, fails := 0, false
	m.Read(func(context.Context) ([]Reading, error) {
		times++
		if fails {
			return nil, errors.New("the database is away")
		}
		return []Reading{{"goldshelf_queue_waiting", "Due.", "queue", "deliveries", 7}, {"goldshelf_used", "Used.", "", "", 2}}, nil
	})
	got := scraped(t, m)
	for _, line := range []string{
		`goldshelf_http_requests_total{method="GET",route="/api/v1/shelf/:ref",status="200"} 2.0`,
		`goldshelf_http_requests_total{method="GET",route="/api/v1/shelf/:ref",status="404"} 1.0`,
		`goldshelf_http_requests_total{method="other",route="/",status="405"} 1.0`,
		`goldshelf_http_request_seconds_bucket{method="GET",route="/api/v1/shelf/:ref",le="0.005"} 3`,
		`goldshelf_http_request_seconds_bucket{method="GET",route="/api/v1/shelf/:ref",le="0.0025"} 1`,
		`goldshelf_job_runs_total{job="deliveries",outcome="done"} 1.0`,
		`goldshelf_job_runs_total{job="deliveries",outcome="failed"} 1.0`,
		`goldshelf_model_requests_total{connection="heron",outcome="done"} 1.0`,
		`goldshelf_model_requests_total{connection="heron",outcome="stopped"} 1.0`,
		`goldshelf_model_requests_total{connection="heron",outcome="failed"} 1.0`,
		`goldshelf_queue_waiting{queue="deliveries"} 7.0`,
		`goldshelf_used 2.0`,
		`goldshelf_build_info{version="1.2.3"} 1.0`,
	} {
		if !strings.Contains(got, line+"\n") {
			t.Errorf("there is no line %s", line)
		}
	}
	scraped(t, m)
	if times != 1 {
		t.Errorf("what is looked up was looked up %d times in a moment", times)
	}
	var none *Metrics
	none.Request("GET", "/", 200, 0)
	none.Job("x", 0, nil)
	none.Asked("x", 0, nil)
}

// What cannot be looked up is left out, and the rest is told.
func TestMetricsWithoutADatabase(t *testing.T) {
	t.Parallel()
	m := NewMetrics("")
	m.Read(func(context.Context) ([]Reading, error) { return nil, errors.New("away") })
	m.Request("GET", "/x", 200, 0)
	if got := scraped(t, m); !strings.Contains(got, `route="/x"`) {
		t.Error("nothing is told")
	}
}

// collector is the other end of OpenTelemetry.
type collector struct {
	mu    sync.Mutex
	spans []*traces.Span
	logs  []string
}

func (c *collector) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	switch r.URL.Path {
	case "/v1/traces":
		var in collecttraces.ExportTraceServiceRequest
		if err = proto.Unmarshal(data, &in); err == nil {
			for _, of := range in.ResourceSpans {
				for _, s := range of.ScopeSpans {
					c.spans = append(c.spans, s.Spans...)
				}
			}
		}
	case "/v1/logs":
		var in collectlogs.ExportLogsServiceRequest
		if err = proto.Unmarshal(data, &in); err == nil {
			c.logs = append(c.logs, in.String())
		}
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
	}
}

func TestTracesAndLogsAreSent(t *testing.T) {
	t.Parallel()
	c := &collector{}
	at := httptest.NewServer(c)
	defer at.Close()
	tracer, err := NewTracer(t.Context(), at.URL, "1.2.3")
	if err != nil {
		t.Fatal(err)
	}
	var kept bytes.Buffer
	log := tracer.Log(slog.New(slog.NewTextHandler(&kept, nil)))
	ctx, end := tracer.Request(t.Context(), "00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01")
	if id := TraceID(ctx); id != "0af7651916cd43dd8448eb211c80319c" {
		t.Errorf("the trace is %q, and not its caller's", id)
	}
	within, ended := Part(ctx, "change")
	log.InfoContext(within, "request", "request", TraceID(ctx))
	ended(errors.New("the text of an entry"))
	end("POST", "/api/v1/shelf/:ref/fill", 500)
	if err := tracer.Stop(); err != nil {
		t.Fatal(err)
	}
	if len(c.spans) != 2 || c.spans[0].Name != "change" || c.spans[1].Name != "POST /api/v1/shelf/:ref/fill" || string(c.spans[0].ParentSpanId) != string(c.spans[1].SpanId) {
		t.Errorf("the spans are %v", c.spans)
	}
	for _, s := range c.spans {
		if strings.Contains(s.String(), "the text of an entry") {
			t.Errorf("a span tells what went wrong: %v", s)
		}
	}
	if len(c.logs) != 1 || !strings.Contains(c.logs[0], "0af7651916cd43dd8448eb211c80319c") || !strings.Contains(kept.String(), "msg=request") {
		t.Errorf("the logs are %v, and %q", c.logs, kept.String())
	}
}

// An endpoint that does not answer holds up nothing.
func TestNobodyListensToTraces(t *testing.T) {
	t.Parallel()
	tracer, err := NewTracer(t.Context(), "http://127.0.0.1:1", "")
	if err != nil {
		t.Fatal(err)
	}
	began := time.Now()
	for range 1000 {
		ctx, end := tracer.Begin(t.Context(), "job")
		_, ended := Part(ctx, "read")
		ended(nil)
		end(nil)
	}
	if took := time.Since(began); took > time.Second {
		t.Errorf("a thousand spans took %s", took)
	}
	_ = tracer.Stop() // it says that nobody took them
	if _, err := NewTracer(t.Context(), "nowhere", ""); err == nil || !strings.Contains(err.Error(), "--otlp-endpoint") {
		t.Errorf("an endpoint that is none: %v", err)
	}
}

func BenchmarkRequest(b *testing.B) {
	m := NewMetrics("")
	for b.Loop() {
		m.Request("POST", "/api/v1/shelf/:ref/fill", 200, 150*time.Microsecond)
	}
}

// The alert rules that come with the service ask for what it tells.
func TestTheAlertsAskForWhatThereIs(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../../packaging/alerts.yaml")
	if err != nil {
		t.Fatal(err)
	}
	var rules struct {
		Groups []struct {
			Rules []struct{ Alert, Expr string }
		}
	}
	if err := yaml.Unmarshal(text, &rules); err != nil || len(rules.Groups) != 1 || len(rules.Groups[0].Rules) < 6 {
		t.Fatalf("%v, %+v", err, rules)
	}
	m := NewMetrics("")
	m.Request("GET", "/", 200, 0)
	m.Job("x", 0, nil)
	m.Asked("x", 0, nil)
	told := scraped(t, m)
	lookedUp := []string{"goldshelf_database_connections", "goldshelf_database_connections_max", "goldshelf_queue_oldest_seconds", "goldshelf_set_aside", "goldshelf_backup_age_seconds", "goldshelf_replica_behind_seconds"}
	for _, r := range rules.Groups[0].Rules {
		for _, name := range regexp.MustCompile(`goldshelf_\w+`).FindAllString(r.Expr, -1) {
			if !strings.Contains(told, name) && !slices.Contains(lookedUp, name) {
				t.Errorf("%s asks for %s, which nothing tells", r.Alert, name)
			}
		}
	}
}

// A job that never comes through is told of from the start, with the time of the start.
func TestJobsAreToldOfFromTheStart(t *testing.T) {
	t.Parallel()
	m := NewMetrics("")
	m.Begin(time.Unix(1_000_000_000, 0), "backups")
	m.Job("backups", 0, errors.New("the disk is full"))
	told := scraped(t, m)
	for _, want := range []string{
		`goldshelf_job_last_success_timestamp_seconds{job="backups"} 1e+09`, `goldshelf_job_runs_total{job="backups",outcome="done"} 0.0`, `goldshelf_job_runs_total{job="backups",outcome="failed"} 1.0`,
	} {
		if !strings.Contains(told, want) {
			t.Errorf("%s is not told:\n%s", want, told)
		}
	}
}
