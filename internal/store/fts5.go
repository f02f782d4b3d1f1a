//go:build !sqlite_fts5

package store

// Bookings are found by an index of words that SQLite's package builds only with a tag. make sets it; beside make, say
// export GOFLAGS=-tags=nomsgpack,sqlite_fts5
var _ = build_with_the_tag_sqlite_fts5
