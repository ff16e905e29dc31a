package store

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"
)

// queryTracer adds a span for each statement to a request that is traced (OpenTelemetry); what is not costs
// nothing. A span has the statement, which names no person, and none of its arguments.
type queryTracer struct{}

func (queryTracer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, data pgx.TraceQueryStartData) context.Context {
	if !trace.SpanContextFromContext(ctx).IsSampled() {
		return ctx
	}
	kind, _, _ := strings.Cut(strings.TrimSpace(data.SQL), " ")
	ctx, _ = otel.Tracer("rubricon/store").Start(ctx, strings.ToUpper(kind), trace.WithSpanKind(trace.SpanKindClient),
		trace.WithAttributes(attribute.String("db.system.name", "postgresql"), attribute.String("db.query.text", data.SQL)))
	return ctx
}

func (queryTracer) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, data pgx.TraceQueryEndData) {
	span := trace.SpanFromContext(ctx)
	if !span.SpanContext().IsSampled() {
		return
	}
	if data.Err != nil {
		span.SetStatus(codes.Error, "the statement failed") // its error may quote what someone wrote
	}
	span.End()
}
