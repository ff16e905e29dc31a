package secret

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
)

// Hashed returns the SHA-256 digest under which a random token is kept.
func Hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// MadeUp is a password of twelve letters and digits that are not mistaken for each other: 58 bits.
func MadeUp() string {
	const letters = "abcdefghjkmnpqrstuvwxyz23456789" // 31
	raw := make([]byte, 0, 12)
	for len(raw) < 12 {
		var b [1]byte
		_, _ = rand.Read(b[:]) // never fails
		if n := int(b[0]) / 8; n < len(letters) {
			raw = append(raw, letters[n])
		}
	}
	return string(raw[:4]) + "-" + string(raw[4:8]) + "-" + string(raw[8:])
}
