package api

import (
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"

	"niche/internal/live"
)

// heartbeat is how often an open stream of changes shows that it is alive.
const heartbeat = 20 * time.Second

// changes streams what changed, as server-sent events, until the client goes, its
// session ends or the server stops.
func (s *server) changes(c *gin.Context) {
	if _, in := s.principal(c.Request); !in {
		WriteProblem(c.Writer, NewProblem(http.StatusUnauthorized, "Sign in first."))
		return
	}
	news, end := s.Hub.Listen()
	defer end()
	c.Header("Content-Type", "text/event-stream")
	stream := http.NewResponseController(c.Writer)
	send := func(text string) bool {
		_ = stream.SetWriteDeadline(time.Now().Add(heartbeat)) // a deadline is real time, whatever the program's clock shows
		if _, err := fmt.Fprint(c.Writer, text); err != nil {
			return false
		}
		return stream.Flush() == nil
	}
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	for ok := send(": listening\n\n"); ok; {
		ended := false
		select {
		case <-c.Request.Context().Done():
			return
		case subject, open := <-news:
			if !open {
				return
			}
			if ended = subject == live.Sessions; !ended {
				ok = send(fmt.Sprintf("event: change\ndata: %s\n\n", subject))
			}
		case <-beat.C:
			ended = true // for all that is known here
			ok = send(": still here\n\n")
		}
		if ended {
			if _, in := s.principal(c.Request); !in {
				return
			}
		}
	}
}
