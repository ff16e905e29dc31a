package paper

import (
	"fmt"

	"github.com/yeqown/go-qrcode/v2"
)

// square draws a text as a QR code (ISO/IEC 18004) of a size, in millimetres, with its quiet zone of four modules.
func (w *writer) square(text string, x, y, size float64) {
	code, err := qrcode.NewWith(text, qrcode.WithErrorCorrectionLevel(qrcode.ErrorCorrectionMedium))
	if err == nil {
		err = code.Save(drawn(func(m qrcode.Matrix) {
			module := size / float64(m.Width()+8)
			m.Iterate(qrcode.IterDirection_ROW, func(column, row int, v qrcode.QRValue) {
				if v.IsSet() {
					w.Rect(x+module*float64(column+4), y+module*float64(row+4), module, module, "F")
				}
			})
		}))
	}
	if err != nil {
		w.SetError(fmt.Errorf("drawing a code: %w", err))
	}
}

// drawn draws the modules of a code.
type drawn func(m qrcode.Matrix)

// Write draws them.
func (d drawn) Write(m qrcode.Matrix) error { d(m); return nil }

// Close does nothing.
func (d drawn) Close() error { return nil }
