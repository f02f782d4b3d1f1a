package store

import "niche/core/span"

// File is one that a client has handed over; what is in it lies outside the database.
type File struct {
	ID        ID
	TokenHash string
	Name      string
	Type      string
	Size      int64
	Path      string // in the folder of files
	BookingID ID     // 0 while it belongs to none, -1 once it is to go
	MadeAt    span.Instant
}

// AddFile keeps a new file.
func (t Tx) AddFile(f *File) error { return t.db.Create(f).Error }

// File returns a file.
func (t Tx) File(id ID) (File, error) { return one[File](t.db.Where("id = ? AND booking_id >= 0", id)) }

// FileByToken returns the one that a token names.
func (t Tx) FileByToken(hash string) (File, error) {
	return one[File](t.db.Where("token_hash = ? AND booking_id >= 0", hash))
}

// LooseFiles counts the files that belong to no booking.
func (t Tx) LooseFiles() (n int64, err error) {
	err = t.db.Model(&File{}).Where("booking_id = 0").Count(&n).Error
	return n, err
}

// AttachFiles gives files that belong to none to a booking.
func (t Tx) AttachFiles(ids []ID, booking ID) error {
	if len(ids) == 0 {
		return nil
	}
	return t.db.Exec("UPDATE files SET booking_id = ? WHERE id IN ? AND booking_id = 0", booking, ids).Error
}

// GoingFiles returns the files that are to go: those that belong to no booking since before an instant, and those of
// clients who were erased.
func (t Tx) GoingFiles(before span.Instant) ([]File, error) {
	return rows[File](t.db.Where("booking_id = -1 OR booking_id = 0 AND made_at < ?", before).Limit(1000))
}

// RemoveFile forgets a file.
func (t Tx) RemoveFile(id ID) error { return t.db.Delete(&File{}, id).Error }

// HasVisitOf reports whether a staff member has the visit of a booking.
func (t Tx) HasVisitOf(staff, booking ID) (bool, error) {
	return scan[bool](t.db.Raw("SELECT EXISTS (SELECT 1 FROM bookings b JOIN visit_staff vs ON vs.visit_id = b.visit_id WHERE b.id = ? AND vs.staff_id = ?)", booking, staff))
}
