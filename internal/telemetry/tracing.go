package telemetry

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"time"

	"go.opentelemetry.io/contrib/bridges/otelslog"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/exporters/otlp/otlplog/otlploghttp"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/propagation"
	sdklog "go.opentelemetry.io/otel/sdk/log"
	"go.opentelemetry.io/otel/sdk/resource"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/trace"
)

const (
	scope      = "goldshelf"
	sendWithin = 5 * time.Second // what is left when the service ends
)

// Tracer sends traces and logs to an endpoint of OpenTelemetry. A nil Tracer sends nothing.
type Tracer struct {
	spans *sdktrace.TracerProvider
	logs  *sdklog.LoggerProvider
}

// NewTracer gives a tracer that sends to an endpoint, such as http://127.0.0.1:4318, by OTLP
// over HTTP. An endpoint that does not answer holds up nothing.
func NewTracer(ctx context.Context, endpoint, version string) (*Tracer, error) {
	u, err := url.Parse(endpoint)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("--otlp-endpoint is %q; write it as http://127.0.0.1:4318", endpoint)
	}
	of := resource.NewSchemaless(attribute.String("service.name", "goldshelf"), attribute.String("service.version", version))
	spans, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(u.JoinPath("v1/traces").String()))
	if err != nil {
		return nil, fmt.Errorf("send traces: %w", err)
	}
	logs, err := otlploghttp.New(ctx, otlploghttp.WithEndpointURL(u.JoinPath("v1/logs").String()))
	if err != nil {
		return nil, fmt.Errorf("send logs: %w", err)
	}
	return &Tracer{
		spans: sdktrace.NewTracerProvider(sdktrace.WithBatcher(spans), sdktrace.WithResource(of)),
		logs:  sdklog.NewLoggerProvider(sdklog.WithProcessor(sdklog.NewBatchProcessor(logs)), sdklog.WithResource(of)),
	}, nil
}

// Stop sends what is left, and no more.
func (t *Tracer) Stop() error {
	if t == nil {
		return nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), sendWithin)
	defer cancel()
	return errors.Join(t.spans.Shutdown(ctx), t.logs.Shutdown(ctx))
}

// Log gives a log that writes where another one does, and sends it too.
func (t *Tracer) Log(log *slog.Logger) *slog.Logger {
	if t == nil {
		return log
	}
	return slog.New(slog.NewMultiHandler(log.Handler(), otelslog.NewHandler(scope, otelslog.WithLoggerProvider(t.logs))))
}

// Begin begins a span, as a part of what the context is of. What it gives ends it.
func (t *Tracer) Begin(ctx context.Context, name string, about ...attribute.KeyValue) (context.Context, func(error)) {
	if t == nil {
		return ctx, func(error) {}
	}
	ctx, span := t.spans.Tracer(scope).Start(ctx, name, trace.WithAttributes(about...), trace.WithSpanKind(trace.SpanKindInternal))
	return ctx, func(err error) { end(span, err) }
}

func end(span trace.Span, err error) {
	if err != nil {
		span.SetStatus(codes.Error, "") // what is wrong may name an entry
	}
	span.End()
}

// Request begins the span of a request, which may be part of its caller's trace (W3C Trace
// Context). What it gives ends it, with the route and status that are known then.
func (t *Tracer) Request(ctx context.Context, traceparent string) (context.Context, func(method, route string, status int)) {
	if t == nil {
		return ctx, func(string, string, int) {}
	}
	ctx = propagation.TraceContext{}.Extract(ctx, propagation.MapCarrier{"traceparent": traceparent})
	ctx, span := t.spans.Tracer(scope).Start(ctx, "request", trace.WithSpanKind(trace.SpanKindServer))
	return ctx, func(method, route string, status int) {
		span.SetName(method + " " + route)
		span.SetAttributes(attribute.String("http.request.method", method), attribute.String("http.route", route), attribute.Int("http.response.status_code", status))
		if status >= 500 {
			span.SetStatus(codes.Error, "")
		}
		span.End()
	}
}

// TraceID gives the id of the trace that a context is part of, or nothing.
func TraceID(ctx context.Context) string {
	if of := trace.SpanContextFromContext(ctx); of.IsValid() {
		return of.TraceID().String()
	}
	return ""
}

// Part begins a span within the one that a context has, and none where it has none: so what
// is below the service needs no tracer. What it gives ends it.
func Part(ctx context.Context, name string) (context.Context, func(error)) {
	parent := trace.SpanFromContext(ctx)
	if !parent.IsRecording() {
		return ctx, func(error) {}
	}
	ctx, span := parent.TracerProvider().Tracer(scope).Start(ctx, name)
	return ctx, func(err error) { end(span, err) }
}
