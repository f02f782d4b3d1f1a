package store

import (
	"encoding/json"

	"niche/core/span"
)

// ProofState is where a proof stands.
type ProofState string

// The states of a proof. They are changed by package proof only.
const (
	ProofWaiting ProofState = "waiting" // to be run
	ProofRunning ProofState = "running"
	ProofHeld    ProofState = "held"    // every step held
	ProofFailed  ProofState = "failed"  // some step did not
	ProofStopped ProofState = "stopped" // before it had ended
)

// Proof is a run that shows, step by step, that a link blocks and writes.
type Proof struct {
	ID       ID
	LinkID   ID
	State    ProofState
	AskedBy  string // whose wish it was; empty for the schedule's
	AskedAt  span.Instant
	BegunAt  span.Instant
	EndedAt  span.Instant
	Token    string // by which what it writes outside is known
	Words    string // what came of it, in a few words
	Report   string // the evidence as JSON; empty until it has begun
	LeftOver bool   // something that it wrote outside may still be there
}

// ProofPrefix begins the UIDs of all that proofs write outside, and the names of the
// resources: whatever is found with it can go.
const ProofPrefix = "niche-proof-"

// AddProof keeps a proof that is wished.
func (t Tx) AddProof(p *Proof) error { return t.db.Create(p).Error }

// SaveProof keeps what has become of a proof.
func (t Tx) SaveProof(p Proof) error { return t.db.Save(&p).Error }

// Proof returns a proof.
func (t Tx) Proof(id ID) (Proof, error) { return one[Proof](t.db.Where("id = ?", id)) }

// ProofsIn returns the proofs in a state, in the order in which they were wished.
func (t Tx) ProofsIn(state ProofState) ([]Proof, error) {
	return rows[Proof](t.db.Where("state = ? AND id IN (SELECT id FROM proofs WHERE state IN ('waiting', 'running') OR left_over = 1)", state).Order("id"))
}

// ProofsLeftOver returns the proofs that have ended, of which something may still be outside.
func (t Tx) ProofsLeftOver() ([]Proof, error) {
	return rows[Proof](t.db.Where("left_over = 1 AND state NOT IN ?", []ProofState{ProofWaiting, ProofRunning}).Order("id"))
}

// LeavesProof reports whether something of a link's proofs may still be outside.
func (t Tx) LeavesProof(link ID) (bool, error) {
	return scan[bool](t.db.Raw("SELECT EXISTS (SELECT 1 FROM proofs WHERE link_id = ? AND left_over = 1 AND begun_at > 0)", link))
}

// ProofsOf returns a part of the proofs of a link, the last first, one more than a page where
// there are more; without their evidence.
func (t Tx) ProofsOf(link ID, l Listing) ([]Proof, error) {
	return rows[Proof](t.db.Omit("report").Where("link_id = ?", link).Order("id DESC").Offset((l.Page - 1) * PageSize).Limit(PageSize + 1))
}

// ProofBefore returns the last proof of a link before another that has come to an end, and with good the
// last that held; ErrNotFound for none.
func (t Tx) ProofBefore(p Proof, good bool) (Proof, error) {
	states := []ProofState{ProofHeld}
	if !good {
		states = append(states, ProofFailed)
	}
	return one[Proof](t.db.Where("link_id = ? AND id < ? AND state IN ?", p.LinkID, p.ID, states).Order("id DESC"))
}

// LastProofs returns the last proof of each of some links that has come to an end, without its evidence.
func (t Tx) LastProofs(links []ID) ([]Proof, error) {
	return rows[Proof](t.db.Omit("report").Where("id IN (SELECT MAX(id) FROM proofs WHERE link_id IN ? AND state IN ('held', 'failed') GROUP BY link_id)", links))
}

// ForgetProofs forgets the proofs of a link but for the last ones, and but for those of which something may be
// outside.
func (t Tx) ForgetProofs(link ID, but int) error {
	return t.db.Exec(`DELETE FROM proofs WHERE link_id = ? AND left_over = 0 AND state IN ('held', 'failed', 'stopped')
		AND id NOT IN (SELECT id FROM proofs WHERE link_id = ? ORDER BY id DESC LIMIT ?)`, link, link, but).Error
}

// Provable is a link with its last proof.
type Provable struct {
	LinkID    ID
	StaffID   ID
	Staff     string
	Host      string
	Account   string // the address of its account
	Kind      LinkKind
	CreatedAt span.Instant
	Blocking  string // names of the calendars that block time, as a list of JSON
	Getting   string // and of those that get bookings
	ProofID   ID     // the last that ended with a result, or 0
	State     ProofState
	Words     string
	EndedAt   span.Instant
	OpenID    ID // one that waits or runs, or 0
	OpenState ProofState
	StoppedID ID // the last of all, if that was stopped; or 0
}

// Blocks returns the names of the calendars that block time.
func (p Provable) Blocks() []string { return list(p.Blocking) }

// Gets returns the names of the calendars that get bookings.
func (p Provable) Gets() []string { return list(p.Getting) }

// list reads a list of JSON that the database has made.
func list(text string) (names []string) {
	_ = json.Unmarshal([]byte(text), &names)
	return names
}

// Provables returns all links of people in use, with their last proofs.
func (t Tx) Provables() ([]Provable, error) {
	return scan[[]Provable](t.db.Raw(`SELECT l.id AS link_id, s.id AS staff_id, s.name AS staff, l.host, l.address AS account, l.kind, l.created_at,
			COALESCE((SELECT JSON_GROUP_ARRAY(name) FROM (SELECT name FROM calendars c WHERE c.link_id = l.id AND c.blocks = 1 ORDER BY name)), '') AS blocking,
			COALESCE((SELECT JSON_GROUP_ARRAY(name) FROM (SELECT name FROM calendars c WHERE c.link_id = l.id AND c.gets_bookings = 1 ORDER BY name)), '') AS getting,
			COALESCE(p.id, 0) AS proof_id, COALESCE(p.state, '') AS state, COALESCE(p.words, '') AS words, COALESCE(p.ended_at, 0) AS ended_at,
			COALESCE(o.id, 0) AS open_id, COALESCE(o.state, '') AS open_state,
			COALESCE((SELECT x.id FROM proofs x WHERE x.id = (SELECT MAX(y.id) FROM proofs y WHERE y.link_id = l.id) AND x.state = 'stopped'), 0) AS stopped_id
		FROM links l JOIN staff s ON s.id = l.staff_id
		LEFT JOIN proofs p ON p.id = (SELECT MAX(q.id) FROM proofs q WHERE q.link_id = l.id AND q.state IN ('held', 'failed'))
		LEFT JOIN proofs o ON o.id = (SELECT MAX(q.id) FROM proofs q WHERE q.link_id = l.id AND q.state IN ('waiting', 'running'))
		WHERE s.archived_at = 0 AND l.closing = 0 ORDER BY s.name, l.id`))
}

// ProofVisits returns the visits of test bookings that there are, of a proof or of all
// where it is 0.
func (t Tx) ProofVisits(proof ID) ([]Visit, error) {
	if proof == 0 {
		return rows[Visit](t.db.Where("proof_id > 0"))
	}
	return rows[Visit](t.db.Where("proof_id = ? AND proof_id > 0", proof))
}

// ForgetProofVisit forgets the visit of a test booking, if nothing of it is outside any more; it reports whether it did.
func (t Tx) ForgetProofVisit(v Visit) (bool, error) {
	left, err := scan[int](t.db.Raw("SELECT COUNT(*) FROM copies WHERE visit_id = ? AND (wanted OR next_at < ?)", v.ID, Never))
	if err != nil || left > 0 {
		return false, err
	}
	for _, step := range []string{"DELETE FROM objects WHERE visit_id = ?", "DELETE FROM copies WHERE visit_id = ?", "DELETE FROM claims WHERE visit_id = ?",
		"DELETE FROM visit_staff WHERE visit_id = ?", "DELETE FROM visits WHERE id = ? AND proof_id > 0"} {
		if err := t.db.Exec(step, v.ID).Error; err != nil {
			return false, err
		}
	}
	return true, nil
}

// ProofEvents returns the event resources of a link's calendars that proofs have written, as far as readings
// have seen them: by their names, or by hashes of UIDs where a host gives names of its own. Test bookings' copies are no such.
func (t Tx) ProofEvents(link ID, uids []string) ([]Object, error) {
	return rows[Object](t.db.Where("calendar_id IN (SELECT id FROM calendars WHERE link_id = ?) AND (href LIKE '%/"+ProofPrefix+"%' OR uid_hash IN ?) AND visit_id = 0", link, append(uids, "-")).Order("calendar_id, href"))
}

// OrphanTests returns the proofs that are no more of which a test booking is still there.
func (t Tx) OrphanTests() ([]ID, error) {
	return scan[[]ID](t.db.Raw("SELECT DISTINCT proof_id FROM visits WHERE proof_id > 0 AND NOT EXISTS (SELECT 1 FROM proofs p WHERE p.id = visits.proof_id)"))
}
