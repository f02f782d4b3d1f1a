package clientele_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/span"
	"niche/internal/clientele"
	"niche/internal/store"
)

// model is who counts as whom: into whom each was merged; -1 for nobody.
type model []int

func (m model) root(i int) int {
	for m[i] >= 0 {
		i = m[i]
	}
	return i
}

// Whatever is merged into whatever, in any order, all that is held of each is held of whom they count as, and once; and each
// merging can be undone, whatever came after it, with all who were merged into them.
func TestMergingCanBeUndone(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	var service store.Service
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		service = store.Service{Slug: "s", Name: "S", Length: 60, Step: 60, Lengths: []span.Minutes{}, Needs: []string{}}
		return tx.SaveService(&service)
	}))
	made := 0
	book := func(tx store.Tx, mail string) string {
		made++
		v := store.Visit{ServiceID: service.ID, UID: fmt.Sprint("u", made), Start: span.Instant(1000 * made), End: span.Instant(1000*made + 60)}
		k := store.Booking{Reference: fmt.Sprint("R", made), TokenHash: fmt.Sprint(made), Status: store.Confirmed, Places: 1, ClientName: "Client of " + mail, ClientMail: mail, ClientZone: "UTC", ClientClock: "24"}
		if err := tx.AddVisit(&v, nil, nil); err != nil {
			panic(err)
		}
		k.VisitID = v.ID
		if err := tx.AddBooking(&k); err != nil {
			panic(err)
		}
		return k.Reference
	}
	rapid.Check(t, func(t *rapid.T) {
		of := make(model, rapid.IntRange(2, 6).Draw(t, "clients"))
		all, ids, mails, booked := make([]int, len(of)), make([]store.ID, len(of)), make([]string, len(of)), make([][]string, len(of))
		write := func(do func(tx store.Tx) error) { require.NoError(t, db.Write(t.Context(), do)) }
		for i := range of {
			all[i], of[i], mails[i] = i, -1, fmt.Sprintf("c%d@clients.example", made)
			write(func(tx store.Tx) error {
				booked[i] = append(booked[i], book(tx, mails[i]))
				c, err := tx.ClientByMail(mails[i])
				ids[i] = c.ID
				return err
			})
		}
		holds := func() {
			for i := range of {
				if of[i] >= 0 {
					continue
				}
				var wantMails, wantBooked []string
				for j := range of {
					if of.root(j) == i {
						wantMails, wantBooked = append(wantMails, mails[j]), append(wantBooked, booked[j]...)
					}
				}
				account, err := clientele.Of(db.Read(t.Context()), ids[i])
				require.NoError(t, err)
				var gotMails, gotBooked []string
				for _, m := range account.Mails {
					gotMails = append(gotMails, m.Mail)
				}
				for _, b := range account.Bookings {
					gotBooked = append(gotBooked, b.Reference)
				}
				require.ElementsMatch(t, wantMails, gotMails)
				require.ElementsMatch(t, wantBooked, gotBooked)
				require.Len(t, account.Others, len(wantMails)-1)
				require.Equal(t, "Client of "+mails[i], account.Client.Name, "each keeps their own name")
			}
		}
		t.Repeat(map[string]func(*rapid.T){
			"": func(*rapid.T) { holds() },
			"merge": func(t *rapid.T) {
				from, into := of.root(rapid.IntRange(0, len(of)-1).Draw(t, "from")), of.root(rapid.IntRange(0, len(of)-1).Draw(t, "into"))
				if from == into {
					t.Skip("they are one already")
				}
				write(func(tx store.Tx) error { return tx.MergeClients(ids[from], ids[into]) })
				of[from] = into
			},
			"part": func(t *rapid.T) {
				who := rapid.IntRange(0, len(of)-1).Draw(t, "who")
				if of[who] < 0 {
					t.Skip("merged into nobody")
				}
				write(func(tx store.Tx) error { return tx.PartClients(ids[who]) })
				of[who] = -1
			},
			"book": func(t *rapid.T) {
				who := rapid.IntRange(0, len(of)-1).Draw(t, "who")
				write(func(tx store.Tx) error { booked[who] = append(booked[who], book(tx, mails[who])); return nil })
			},
		})
		// In the end each is who they were.
		for _, i := range rapid.Permutation(all).Draw(t, "order") {
			if of[i] >= 0 {
				write(func(tx store.Tx) error { return tx.PartClients(ids[i]) })
				of[i] = -1
			}
		}
		holds()
	})
}

// Nobody is forgotten who still comes; whoever is erased is gone with all who count as them, and their visits stay.
func TestWhoStillComesIsNotForgotten(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	var root store.ID
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		service := store.Service{Slug: "s", Name: "S", Length: 60, Step: 60, Lengths: []span.Minutes{}, Needs: []string{}}
		require.NoError(t, tx.SaveService(&service))
		for i, mail := range []string{"rosa@clients.example", "osei@works.example"} {
			v := store.Visit{ServiceID: service.ID, UID: mail, Start: span.Instant(1000 * (i + 1)), End: span.Instant(1000*(i+1) + 60)}
			require.NoError(t, tx.AddVisit(&v, nil, nil))
			require.NoError(t, tx.AddBooking(&store.Booking{VisitID: v.ID, Reference: mail, TokenHash: mail, Status: store.Confirmed, Places: 1, ClientName: "Rosa", ClientMail: mail, ClientZone: "UTC", Note: "Rings twice"}))
		}
		rosa, err := tx.ClientByMail("rosa@clients.example")
		require.NoError(t, err)
		other, err := tx.ClientByMail("osei@works.example")
		require.NoError(t, err)
		root = rosa.ID
		return tx.MergeClients(other.ID, root)
	}))
	erase := func(now span.Instant) error {
		return db.Write(t.Context(), func(tx store.Tx) error { return clientele.Erase(tx, root, now) })
	}
	require.ErrorIs(t, erase(1500), clientele.ErrAhead, "the other address has a visit ahead")
	require.NoError(t, erase(5000))
	tx := db.Read(t.Context())
	for _, mail := range []string{"rosa@clients.example", "osei@works.example"} {
		_, err := tx.ClientByMail(mail)
		require.True(t, store.IsMissing(err), mail)
		k, err := tx.BookingByReference(mail)
		require.NoError(t, err)
		require.Equal(t, []any{clientele.Erased, "", "", store.Confirmed}, []any{k.ClientName, k.ClientMail, k.Note, k.Status})
	}
	_, err = clientele.Of(tx, root)
	require.ErrorIs(t, err, store.ErrNotFound)
}
