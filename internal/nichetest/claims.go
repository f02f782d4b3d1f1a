package nichetest

import (
	"fmt"
)

// WrongClaims returns what contradicts the promise in the database: claims that
// overlap, places sold twice, claims without a booking, and bookings whose time
// is not wholly claimed for everybody and everything.
func WrongClaims(d *Desk) (wrong []string) {
	for what, query := range map[string]string{
		"claims overlap": `SELECT a.id FROM claims a JOIN claims b ON a.id < b.id AND a.subject = b.subject AND a.start < b."end" AND b.start < a."end"`,
		"places sold twice": `SELECT v.id FROM visits v JOIN services s ON s.id = v.service_id JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
			GROUP BY v.id HAVING SUM(b.places) > MAX(s.places)`,
		"a claim without a booking": `SELECT c.id FROM claims c WHERE NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = c.visit_id AND b.status <> 'cancelled')`,
		"a held booking left over":  `SELECT id FROM bookings WHERE status = 'held'`,
		"a visit without a booking": `SELECT id FROM visits v WHERE NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id) AND NOT EXISTS (SELECT 1 FROM copies c WHERE c.visit_id = v.id)`,
		"time not claimed": `SELECT n.visit_id FROM (SELECT visit_id, 'staff:' || staff_id AS subject FROM visit_staff UNION ALL SELECT visit_id, 'resource:' || resource_id FROM visit_resources) n
			JOIN visits v ON v.id = n.visit_id WHERE EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled')
			AND NOT EXISTS (SELECT 1 FROM claims c WHERE c.visit_id = v.id AND c.subject = n.subject AND c.start = v.start - 60 * v.buffer_before AND c."end" = v."end" + 60 * v.buffer_after)`,
		"a visit without its room": `SELECT v.id FROM visits v JOIN services s ON s.id = v.service_id WHERE EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled')
			AND json_array_length(s.needs) <> (SELECT COUNT(*) FROM visit_resources r WHERE r.visit_id = v.id)`,
	} {
		if ids := d.List(query); len(ids) > 0 {
			wrong = append(wrong, fmt.Sprintf("%s: %v", what, ids))
		}
	}
	return wrong
}
