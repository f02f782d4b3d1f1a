package store

import (
	"fmt"

	"niche/core/span"
)

// Client is a client as a person: those of all their mail addresses. Two can be told to be one, which
// can be undone.
type Client struct {
	ID          ID
	Name        string
	Zone        string
	Clock       string
	Phone       string // E.164, or empty
	PhoneDigits string
	Note        string
	Fixed       bool         // the desk has said how they are called, and what they say themselves changes nothing
	MergedInto  ID           // 0 for not
	Root        ID           // whom they count as
	CreatedAt   span.Instant `gorm:"autoCreateTime:false"`
}

// ClientMail is a mail address of a client.
type ClientMail struct {
	Mail     string `gorm:"primaryKey"`
	ClientID ID
	Since    span.Instant
	BrokenAt span.Instant // when mail to it came back; 0 for not
	Broken   string
}

// ListedClient is a client with what a list says of them.
type ListedClient struct {
	Client
	Visits int
	Missed int
	Last   span.Instant // of the latest that is over; 0 for none
	Next   span.Instant
	Mails  string // mail addresses, the oldest first, with blanks between
}

// listedClients lists the clients that a part of them, named page, holds: what they booked is counted for those alone.
const listedClients = `SELECT p.*, COUNT(b.id) FILTER (WHERE b.status IN ('confirmed', 'pending')) AS visits, COUNT(b.id) FILTER (WHERE b.missed_at > 0) AS missed,
		COALESCE(MAX(v.start) FILTER (WHERE b.status = 'confirmed' AND v.start <= @now), 0) AS last,
		COALESCE(MIN(v.start) FILTER (WHERE b.status IN ('confirmed', 'pending') AND v.start > @now), 0) AS next,
		(SELECT GROUP_CONCAT(mail, ' ') FROM (SELECT m.mail FROM clients g JOIN client_mails m ON m.client_id = g.id WHERE g.root = p.id ORDER BY m.since, m.mail)) AS mails
	FROM page p LEFT JOIN clients f ON f.root = p.id LEFT JOIN bookings b ON b.client_id = f.id LEFT JOIN visits v ON v.id = b.visit_id
	GROUP BY p.id ORDER BY p.name COLLATE NOCASE, p.id`

// FindClients returns a part of the clients by name, or of those whom words find; one more than a page where there are more.
func (t Tx) FindClients(words string, page int, now span.Instant) ([]ListedClient, error) {
	values := map[string]any{"match": matching(words), "now": now, "skip": (page - 1) * PageSize, "most": PageSize + 1}
	which := "merged_into = 0"
	if words != "" {
		if values["match"] == "" {
			return nil, nil // signs alone find nothing
		}
		which = "id IN (SELECT f.root FROM client_words w JOIN clients f ON f.id = w.rowid WHERE w.client_words MATCH @match ORDER BY w.rowid DESC LIMIT 2000)"
	}
	return scan[[]ListedClient](t.db.Raw("WITH page AS (SELECT * FROM clients WHERE "+which+" ORDER BY name COLLATE NOCASE, id LIMIT @most OFFSET @skip) "+listedClients, values))
}

// Client returns a client.
func (t Tx) Client(id ID) (Client, error) { return one[Client](t.db.Where("id = ?", id)) }

// ClientFamily returns a client with those who were merged into them, the client first.
func (t Tx) ClientFamily(root ID) ([]Client, error) {
	return rows[Client](t.db.Where("root = ?", root).Order(fmt.Sprintf("id <> %d, id", root)))
}

// MailsOf returns the mail addresses of a client, with those of whom was merged into them.
func (t Tx) MailsOf(root ID) ([]ClientMail, error) {
	return rows[ClientMail](t.db.Where("client_id IN (SELECT id FROM clients WHERE root = ?)", root).Order("since, mail"))
}

// ClientByMail returns whose a mail address is.
func (t Tx) ClientByMail(mail string) (Client, error) {
	return one[Client](t.db.Where("id = (SELECT root FROM clients c JOIN client_mails m ON m.client_id = c.id WHERE m.mail = ?)", mail))
}

// AddClientMail gives a client another mail address.
func (t Tx) AddClientMail(m ClientMail) error { return t.db.Create(&m).Error }

// RemoveClientMail takes a mail address away; one by which something was booked stays, and false is returned.
func (t Tx) RemoveClientMail(mail string) (bool, error) {
	done := t.db.Where("mail = ? AND NOT EXISTS (SELECT 1 FROM bookings b WHERE b.client_mail = client_mails.mail)", mail).Delete(&ClientMail{})
	return done.RowsAffected > 0, done.Error
}

// MailBroken notes that mail to an address came back.
func (t Tx) MailBroken(mail, why string, now span.Instant) error {
	return t.db.Model(&ClientMail{}).Where("mail = ?", mail).Updates(map[string]any{"broken_at": now, "broken": why}).Error
}

// SaveClient keeps what is known of a client.
func (t Tx) SaveClient(c *Client) error { return t.db.Save(c).Error }

// MergeClients has one client count as another, with all who were merged into them.
func (t Tx) MergeClients(from, into ID) error {
	if err := t.db.Exec("UPDATE clients SET root = ? WHERE root = ?", into, from).Error; err != nil {
		return err
	}
	return t.db.Exec("UPDATE clients SET merged_into = ? WHERE id = ?", into, from).Error
}

// PartClients has a client count as themselves again, with all who were merged into them.
func (t Tx) PartClients(id ID) error {
	if err := t.db.Exec("UPDATE clients SET merged_into = 0 WHERE id = ?", id).Error; err != nil {
		return err
	}
	return t.db.Exec(`WITH RECURSIVE below(id) AS (SELECT @id UNION SELECT c.id FROM clients c JOIN below b ON c.merged_into = b.id)
		UPDATE clients SET root = @id WHERE id IN (SELECT id FROM below)`, map[string]any{"id": id}).Error
}

// PerhapsSame returns other clients who have the name or the telephone number of one.
func (t Tx) PerhapsSame(c Client) ([]Client, error) {
	return scan[[]Client](t.db.Raw(`SELECT * FROM clients WHERE merged_into = 0 AND id <> @id AND name = @name COLLATE NOCASE UNION SELECT * FROM clients WHERE merged_into = 0 AND id <> @id AND phone <> '' AND phone = @phone LIMIT 5`,
		map[string]any{"id": c.ID, "name": c.Name, "phone": c.Phone}))
}

// BookingsOfClient returns the bookings of a client, the latest visit first.
func (t Tx) BookingsOfClient(root ID, most int) ([]FoundBooking, error) {
	return scan[[]FoundBooking](t.db.Raw(`SELECT b.*, s.name AS service, v.start, v."end",
			(SELECT GROUP_CONCAT(name, ' and ') FROM (SELECT p.name FROM visit_staff vs JOIN staff p ON p.id = vs.staff_id WHERE vs.visit_id = v.id ORDER BY p.name)) AS staff
		FROM bookings b JOIN visits v ON v.id = b.visit_id JOIN services s ON s.id = v.service_id
		WHERE b.client_id IN (SELECT id FROM clients WHERE root = ?) ORDER BY v.start DESC, b.id DESC LIMIT ?`, root, most))
}

// MessagesOfClient returns the messages to a client, the newest first.
func (t Tx) MessagesOfClient(root ID, most int) ([]Message, error) {
	return rows[Message](t.db.Where("booking_id > 0 AND booking_id IN (SELECT id FROM bookings WHERE client_id IN (SELECT id FROM clients WHERE root = ?))", root).Order("id DESC").Limit(most))
}

// PaymentsOfClient returns the payments for a client's bookings, the newest first.
func (t Tx) PaymentsOfClient(root ID, most int) ([]Payment, error) {
	return rows[Payment](t.db.Where("booking_id > 0 AND booking_id IN (SELECT id FROM bookings WHERE client_id IN (SELECT id FROM clients WHERE root = ?))", root).Order("id DESC").Limit(most))
}

// EraseClient forgets who a client is: of their bookings stays that there were such, and what was paid. It returns whose visits
// they were on.
func (t Tx) EraseClient(root ID, name string) (visits []ID, err error) {
	of := "client_id IN (SELECT id FROM clients WHERE root = @root)"
	v := map[string]any{"root": root, "name": name}
	if visits, err = scan[[]ID](t.db.Raw("SELECT DISTINCT visit_id FROM bookings WHERE "+of, v)); err != nil {
		return nil, err
	}
	for _, step := range []string{
		"DELETE FROM messages WHERE booking_id > 0 AND booking_id IN (SELECT id FROM bookings WHERE " + of + ")",
		"UPDATE files SET booking_id = -1, name = '' WHERE booking_id > 0 AND booking_id IN (SELECT id FROM bookings WHERE " + of + ")",
		"DELETE FROM ways WHERE booking_id IN (SELECT id FROM bookings WHERE " + of + ")",
		"UPDATE payments SET request = x'', token_hash = '' WHERE booking_id > 0 AND booking_id IN (SELECT id FROM bookings WHERE " + of + ")",

		`UPDATE bookings SET client_name = @name, client_mail = '', client_phone = '', phone_digits = '', client_address = '', answers = NULL, note = '', origin = '', answer_comment = '',
			key_hash = '', request_hash = '', token_hash = 'erased ' || id, client_id = 0 WHERE ` + of,
		"DELETE FROM messages WHERE recipient IN (SELECT mail FROM client_mails WHERE " + of + ")",
		"DELETE FROM client_mails WHERE " + of,
		"DELETE FROM clients WHERE root = @root",
	} {
		if err := t.db.Exec(step, v).Error; err != nil {
			return nil, fmt.Errorf("erasing a client: %w", err)
		}
	}
	return visits, nil
}
