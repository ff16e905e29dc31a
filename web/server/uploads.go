package server

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"os"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	schoolyear "rubricon/app/year"
)

// A share is a part of the room for uploads. The office has one of its own, so that no one else's files keep
// its imports out.
type share int

// The shares.
const (
	FamilyShare share = iota
	OfficeShare
)

// Room for files: how many of a share may be on their way at the same time, on disk alone; how many of those
// may be one account's; and how many that are there may be in memory.
const (
	familyUploads   = 40
	officeUploads   = 10
	uploadsOfOne    = 2
	uploadsInMemory = 2
)

// Each chunk of a file must arrive within its time, so that a sender who trickles does not hold a place for
// minutes: 70 kbit/s will do.
const (
	chunkBytes = 256 << 10
	chunkTime  = 30 * time.Second
)

// uploads are those of one share.
type uploads struct {
	arriving *gate
	memory   chan struct{} // a place for each file that may be in memory
}

func newUploads(most int) *uploads {
	return &uploads{newGate(uploadsOfOne, most), make(chan struct{}, uploadsInMemory)}
}

// hold waits until a file that has arrived may be read into memory. The error is that of the context.
func (u *uploads) hold(ctx context.Context) (release func(), err error) {
	select {
	case u.memory <- struct{}{}:
		return func() { <-u.memory }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Upload makes an operation one that brings a file of at most so many bytes. No one sends one who may not,
// which is asked before any of it is read; it arrives on disk, and takes a place in memory only when it is
// there.
func (s *Server) Upload(op huma.Operation, most int64, in share,
	may func(ctx context.Context, by int64, at schoolyear.Place) error) huma.Operation {
	op.MaxBodyBytes = most
	op.Metadata = map[string]any{LimitKey: &Limit{takes: uploadTimeout + RequestTimeout, upload: true}}
	op.Middlewares = huma.Middlewares{func(hctx huma.Context, next func(huma.Context)) {
		if err := s.receive(hctx, next, most, in, may); err != nil {
			ctx := hctx.Context()
			var p *Problem
			if !errors.As(Answer(ctx, err), &p) {
				p = internal(ctx, "an upload", err)
			}
			for name, values := range p.GetHeaders() {
				hctx.SetHeader(name, values[0])
			}
			hctx.SetHeader("Connection", "close") // the rest of the file is not read
			hctx.SetHeader("Content-Type", p.ContentType(""))
			hctx.SetStatus(p.Status)
			_ = json.NewEncoder(hctx.BodyWriter()).Encode(p)
		}
	}}
	return op
}

type humaContext = huma.Context // so that its method Context is not hidden by the name of a field

// fromDisk is a request whose body has arrived.
type fromDisk struct {
	humaContext
	file *os.File
}

func (f *fromDisk) BodyReader() io.Reader { return f.file }

// receive takes a file in and goes on with it; an error is returned where nothing has been answered yet.
func (s *Server) receive(hctx huma.Context, next func(huma.Context), most int64, in share,
	may func(ctx context.Context, by int64, at schoolyear.Place) error) error {
	ctx := hctx.Context()
	by, err := s.Ready(ctx)
	if err != nil {
		return err
	}
	year, err := strconv.Atoi(hctx.Param("year"))
	if err != nil || year < firstYear || year > lastYear {
		return NewProblem(http.StatusUnprocessableEntity, Say(ctx, "bad-year"))
	}
	if err := may(ctx, by, schoolyear.Place{School: hctx.Param("school"), Year: year, Student: hctx.Param("student")}); err != nil {
		return err
	}
	room := s.uploads[in]
	leave, err := room.arriving.Enter(by)
	switch {
	case errors.Is(err, ErrOwn):
		return TooManyOfOne(ctx, "own-uploads", waitForUpload)
	case err != nil:
		return Unavailable(ctx)
	}
	defer leave()
	file, err := s.arrive(hctx, most)
	if err != nil {
		return err
	}
	defer file.Close()
	release, err := room.hold(ctx)
	if err != nil {
		return err
	}
	defer release()
	next(&fromDisk{hctx, file})
	return nil
}

// waitForUpload is after how many seconds to try again when one's own files are still on their way.
const waitForUpload = 10

// arrive writes the body of a request into a file that has no name, and returns it at its beginning.
func (s *Server) arrive(hctx huma.Context, most int64) (*os.File, error) {
	ctx := hctx.Context()
	file, err := os.CreateTemp("", "rubricon-upload-")
	if err != nil {
		return nil, err
	}
	_ = os.Remove(file.Name()) // it lives as long as it is open
	until, body, got := time.Now().Add(uploadTimeout), io.LimitReader(hctx.BodyReader(), most+1), int64(0)
	for err == nil {
		deadline := time.Now().Add(chunkTime)
		if until.Before(deadline) {
			deadline = until
		}
		_ = hctx.SetReadDeadline(deadline)
		var n int64
		n, err = io.CopyN(file, body, chunkBytes)
		got += n
	}
	_ = hctx.SetReadDeadline(time.Time{})
	switch {
	case got > most:
		err = NewProblem(http.StatusRequestEntityTooLarge, Say(ctx, "too-large"))
	case errors.Is(err, os.ErrDeadlineExceeded):
		p := NewProblem(http.StatusRequestTimeout, Say(ctx, "slow-body"))
		p.Code = "slow-body"
		err = p
	case errors.Is(err, io.EOF):
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		_ = file.Close()
		return nil, err
	}
	return file, nil
}
