package post

import "time"

// Hurry lets a server be given up on sooner.
func Hurry(s *SMTP, patience time.Duration) { s.patience = patience }
