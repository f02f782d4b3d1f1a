package store

// Begun says how far a business is with setting up.
type Begun struct {
	Staff   ID // somebody in use: who is furthest with linking; 0 for nobody
	Name    string
	Hours   bool // they have hours
	Link    ID   // a link of theirs, or 0
	Blocks  bool // some calendar of it blocks time
	Gets    bool // some calendar of it gets bookings
	Service ID   // one that they perform, or 0
	Slug    string
	Booked  bool // somebody has booked
	Held    bool // a proof of the link has held
	Proof   ID   // its last proof, or 0
}

// Begun returns how far the person is who is furthest.
func (t Tx) Begun() (Begun, error) {
	return scan[Begun](t.db.Raw(`SELECT s.id AS staff, s.name, EXISTS (SELECT 1 FROM patterns p WHERE p.staff_id = s.id) AS hours,
			COALESCE(l.id, 0) AS link, COALESCE((SELECT MAX(c.blocks) FROM calendars c WHERE c.link_id = l.id), 0) AS blocks,
			COALESCE((SELECT MAX(c.gets_bookings) FROM calendars c WHERE c.link_id = l.id), 0) AS gets,
			COALESCE(v.id, 0) AS service, COALESCE(v.slug, '') AS slug, EXISTS (SELECT 1 FROM bookings) AS booked,
			EXISTS (SELECT 1 FROM proofs p WHERE p.link_id = l.id AND p.state = 'held') AS held,
			COALESCE((SELECT MAX(p.id) FROM proofs p WHERE p.link_id = l.id), 0) AS proof
		FROM staff s LEFT JOIN links l ON l.id = (SELECT MIN(x.id) FROM links x WHERE x.staff_id = s.id AND NOT x.closing)
		LEFT JOIN services v ON v.id = (SELECT MIN(y.id) FROM service_staff z JOIN services y ON y.id = z.service_id AND y.archived_at = 0 WHERE z.staff_id = s.id)
		WHERE s.archived_at = 0 ORDER BY held DESC, link > 0 DESC, hours DESC, s.id LIMIT 1`))
}
