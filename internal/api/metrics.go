package api

import (
	"net"
	"net/http"
	"net/netip"

	"github.com/gin-gonic/gin"
)

// metrics serves the program's metrics in the text format of Prometheus to
// programs on the same machine, and to administrators who are signed in. A
// request that came by way of a proxy is not from the same machine.
func (s *server) metrics(next http.Handler) gin.HandlerFunc {
	return func(c *gin.Context) {
		token, _ := c.Cookie(cookieName)
		if _, ok := s.administrator(c.Request.Context(), token); !ok && !isLocal(c.Request) {
			writeProblem(c.Writer, newProblem(http.StatusUnauthorized, "Sign in first."))
			return
		}
		next.ServeHTTP(c.Writer, c.Request)
	}
}

func isLocal(r *http.Request) bool {
	for _, h := range []string{"Forwarded", "X-Forwarded-For", "X-Forwarded-Host", "X-Real-Ip", "Via"} {
		if r.Header.Get(h) != "" {
			return false
		}
	}
	host, _, _ := net.SplitHostPort(r.RemoteAddr)
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.Unmap().IsLoopback()
}
