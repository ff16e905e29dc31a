package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
	semconv "go.opentelemetry.io/otel/semconv/v1.37.0"
)

// startTracing sends traces to the collector that the environment names (OTEL_EXPORTER_OTLP_ENDPOINT and the
// other variables of the OpenTelemetry specification, over HTTP); where none is named nothing is traced. The
// function returned sends what is left.
func startTracing(ctx context.Context) (end func(), err error) {
	if os.Getenv("OTEL_EXPORTER_OTLP_ENDPOINT") == "" && os.Getenv("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT") == "" {
		return func() {}, nil
	}
	exporter, err := otlptracehttp.New(ctx)
	if err != nil {
		return nil, fmt.Errorf("sending traces: %w", err)
	}
	about, err := resource.New(ctx, resource.WithAttributes(semconv.ServiceName("rubricon")), resource.WithFromEnv())
	if err != nil {
		return nil, fmt.Errorf("sending traces: %w", err)
	}
	provider := sdktrace.NewTracerProvider(sdktrace.WithBatcher(exporter), sdktrace.WithResource(about))
	otel.SetTracerProvider(provider)
	otel.SetTextMapPropagator(propagation.TraceContext{})
	return func() {
		end, stop := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
		defer stop()
		_ = provider.Shutdown(end)
	}, nil
}
