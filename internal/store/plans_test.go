package store

import (
	"context"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm/logger"

	"niche/core/span"
)

// listener hears every statement.
type listener struct {
	logger.Interface
	mu   sync.Mutex
	said []string
}

func (l *listener) Trace(_ context.Context, _ time.Time, statement func() (string, int64), _ error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	text, _ := statement()
	l.said = append(l.said, text)
}

// small are tables that have few rows, whatever the business, or of which a statement
// wants all; they may be gone through.
var small = regexp.MustCompile(`^SCAN (s|p|services|businesses|administrators|resources|r|staff|closures|calendars|l|json_each|pragma_\w+|\(subquery-\d+\)|CONSTANT ROW)( |$)`)

// The statements that pages, bookings and queues need go by indexes, whatever they
// are: each is asked of the database how it would be answered.
func TestTheHotStatementsUseIndexes(t *testing.T) {
	db := opened(t)
	ears := &listener{Interface: logger.Discard}
	db.read.Logger, db.write.Logger = ears, ears
	window := span.Between(100, 1_000_000)
	require.NoError(t, db.Write(t.Context(), func(tx Tx) error {
		asked := []error{}
		note := func(err error) {
			if err != nil && !IsMissing(err) {
				asked = append(asked, err)
			}
		}
		ask := func(_ any, err error) { note(err) }
		ask(tx.BlockingCalendars([]ID{1, 2}))
		ask(tx.BlockingIDs(1))
		ask(tx.BookedNear([]ID{1, 2}, window, nil))
		ask(tx.ClaimsOn([]Subject{"staff:1"}, window, nil))
		ask(tx.VisitsAhead(1, 5))
		ask(tx.VisitToJoin(1, 1, window, 0))
		ask(tx.BookingsOn(1))
		ask(tx.BookingByToken("x"))
		ask(tx.BookingByKey("x"))
		ask(tx.SessionOf("x"))
		ask(tx.SessionsOf(Owner{AdministratorID: 1}))
		ask(tx.Trail(TrailOf{Kinds: []string{"staff"}, Thing: 1, Most: 5}))
		ask(tx.Trail(TrailOf{From: 1, Most: 5}))
		ask(tx.BookedAhead("x@y.example", 5))
		ask(tx.VisitsByUID([]string{"x@niche"}))
		ask(tx.Objects(1))
		ask(tx.OwedPaths(1))
		ask(tx.BeyondPaths(1))
		ask(tx.CopiesOf(1))
		ask(tx.CopyTargets(1))
		ask(tx.CopiesOfIn(1, 1))
		ask(tx.ExtraCopies([]ID{1, 2}))
		ask(tx.AllOpenClashes(5))
		ask(tx.AllAdrift(5))
		ask(tx.Unwritten(5, 10))
		ask(tx.PendingBookings(5))
		ask(tx.OpenItems())
		ask(tx.TitlesIn([]ID{1}, window))
		ask(tx.VisitsToCopy(1, 5))
		ask(tx.OpenClashesIn(1))
		ask(tx.OpenClashesOf(1))
		ask(tx.LastCase(1))
		ask(tx.VisitsOnWall([]ID{1, 2}, window))
		ask(tx.Holders("staff:1", window))
		ask(tx.DueNext(CopyQueue, 5))
		ask(tx.DueNext(CalendarQueue, 5))
		ask(tx.BookingsAhead(AheadOf{Staff: 1, Windows: []span.Span{window}}))
		ask(tx.BookingsAhead(AheadOf{Service: 1, Windows: []span.Span{window}}))
		for _, of := range []BookingsOf{{Words: "rosa o"}, {Order: ByMade}, {Order: ByStart, From: 5}, {Order: ByStartBack, To: 5, After: Place{5, 1}}, {Order: ByStart, From: 5, Staff: 1}, {Order: ByStart, From: 5, Service: 1},
			{Order: ByStart, From: 5, Copy: CopyFailed}, {Words: "a", Copy: CopyFailed, Staff: 1, Status: Cancelled}} {
			of.Most = 5
			ask(tx.FindBookings(of))
		}
		ask(tx.ClientBefore(1, 5))
		ask(tx.FindClients("", 1, 5))
		ask(tx.FindClients("rosa o", 1, 5))
		ask(tx.BookingsOfClient(1, 5))
		ask(tx.MessagesOfClient(1, 5))
		ask(tx.PaymentsOfClient(1, 5))
		ask(tx.PerhapsSame(Client{ID: 1, Name: "Rosa", Phone: "+353"}))
		ask(tx.ClientByMail("x@y.example"))
		ask(tx.LastWith("x@y.example"))
		ask(tx.TrialsBefore(5))
		ask(tx.LastTrial(1, "x@y.example", 5))
		ask(tx.CopiesWithPlaces(1))
		ask(tx.ProofsIn(ProofWaiting))
		ask(tx.ProofsLeftOver())
		ask(tx.ProofsOf(1, Listing{Page: 1}))
		ask(tx.LastProofs([]ID{1}))
		ask(tx.ProofVisits(0))
		ask(tx.TakenIn([]ID{1}, window))
		ask(tx.LyingElsewhere([]ID{1, 2}))
		ask(tx.AdriftOf([]ID{1, 2}))
		ask(tx.AdriftUnder(1))
		ask(tx.ElsewhereIn(Copy{VisitID: 1, CalendarID: 1}))
		ask(tx.CopiesAhead(1, 5))
		ask(tx.CopiesAhead(0, 5))
		ask(tx.DueNext(MessageQueue, 5))
		ask(tx.DueNow(MessageQueue, 5, nil, 9))
		ask(tx.MessagesAbout("x", 5))
		ask(tx.CountMessages(5))
		ask(tx.OneTimesOf(1, 5))
		ask(tx.Versions([]Thing{Closures}))
		note(tx.ForgetCodes(5))
		note(tx.AddClaim(Claim{VisitID: 1, Subject: "staff:1", Start: 1, End: 2}))
		require.Len(t, asked, 1, "the claim belongs to no visit: %v", asked)
		return nil
	}))
	require.Greater(t, len(ears.said), 25)
	for _, statement := range ears.said {
		if !strings.HasPrefix(statement, "SELECT") {
			continue
		}
		steps, err := scan[[]struct{ Detail string }](db.Read(t.Context()).db.Raw("EXPLAIN QUERY PLAN " + statement))
		require.NoError(t, err, statement)
		for _, s := range steps {
			require.NotContains(t, s.Detail, "AUTOMATIC", statement)
			lastMade := s.Detail == "SCAN b" && strings.Contains(statement, "ORDER BY b.id DESC LIMIT") // it ends after a page
			if strings.HasPrefix(s.Detail, "SCAN") && !strings.Contains(s.Detail, "INDEX") && !lastMade {
				require.Regexp(t, small, s.Detail, statement)
			}
		}
	}
}
