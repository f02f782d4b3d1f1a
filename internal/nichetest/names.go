package nichetest

import (
	"context"
	"net"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/dns/dnsmessage"
)

// Names is a DNS server that says what a test wants, over UDP.
type Names struct {
	mu    sync.Mutex
	srv   map[string][]dnsmessage.SRVResource
	txt   map[string]string
	fails bool
}

// OpenNames opens a DNS server that knows nothing, and returns it with a resolver that
// asks it.
func OpenNames(t testing.TB) (*Names, *net.Resolver) {
	n := &Names{srv: map[string][]dnsmessage.SRVResource{}, txt: map[string]string{}}
	c, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	go n.serve(c)
	return n, &net.Resolver{PreferGo: true, Dial: func(ctx context.Context, _, _ string) (net.Conn, error) {
		return (&net.Dialer{}).DialContext(ctx, "udp", c.LocalAddr().String())
	}}
}

// Serves says where a service of a domain is, as _caldavs._tcp.castellane.example.
func (n *Names) Serves(name, target string, port, priority uint16) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.srv[name] = append(n.srv[name], dnsmessage.SRVResource{Priority: priority, Port: port, Target: dnsmessage.MustNewName(strings.TrimSuffix(target, ".") + ".")})
}

// Says gives a name a text.
func (n *Names) Says(name, text string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.txt[name] = text
}

// Fail has all questions answered with a failure, or no longer.
func (n *Names) Fail(fails bool) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.fails = fails
}

func (n *Names) serve(c net.PacketConn) {
	buf := make([]byte, 1500)
	for {
		size, from, err := c.ReadFrom(buf)
		if err != nil {
			return
		}
		var asked dnsmessage.Message
		if asked.Unpack(buf[:size]) != nil || len(asked.Questions) != 1 {
			continue
		}
		if text, err := n.answer(asked).Pack(); err == nil {
			_, _ = c.WriteTo(text, from)
		}
	}
}

func (n *Names) answer(asked dnsmessage.Message) *dnsmessage.Message {
	n.mu.Lock()
	defer n.mu.Unlock()
	q := asked.Questions[0]
	name := strings.TrimSuffix(q.Name.String(), ".")
	out := &dnsmessage.Message{Header: dnsmessage.Header{ID: asked.ID, Response: true, RecursionAvailable: true}, Questions: asked.Questions}
	head := dnsmessage.ResourceHeader{Name: q.Name, Type: q.Type, Class: dnsmessage.ClassINET, TTL: 1}
	if q.Type == dnsmessage.TypeSRV {
		for _, r := range n.srv[name] {
			out.Answers = append(out.Answers, dnsmessage.Resource{Header: head, Body: &r})
		}
	}
	if text, ok := n.txt[name]; ok && q.Type == dnsmessage.TypeTXT {
		out.Answers = append(out.Answers, dnsmessage.Resource{Header: head, Body: &dnsmessage.TXTResource{TXT: []string{text}}})
	}
	switch {
	case n.fails:
		out.Answers, out.RCode = nil, dnsmessage.RCodeServerFailure
	case len(out.Answers) == 0:
		out.RCode = dnsmessage.RCodeNameError
	}
	return out
}
