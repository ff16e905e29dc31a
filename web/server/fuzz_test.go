package server

import (
	"testing"
)

// What is looked for in texts that can be none is found without reading beyond them.
func FuzzText(f *testing.F) {
	f.Add([]byte(`{"a":"\u0000"}`))
	f.Add([]byte(`"\ud83d\ude00 \\u0000"`))
	f.Add([]byte{0xff})
	f.Fuzz(func(t *testing.T, body []byte) {
		if badText(string(body)) == "" && len(body) < 2 && badEscapes(body) != "" {
			t.Fatalf("%q has an escape", body)
		}
	})
}
