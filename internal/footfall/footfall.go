// Package footfall counts how far people come on pages: how many opened one, chose a start, went
// on to their details, and booked. It knows a page, a date and a step, and nothing of who it was.
// What is counted is kept in memory and written down now and then; a program that is killed
// loses what it has counted since.
package footfall

import (
	"context"
	"fmt"
	"sync"

	"niche/internal/store"
)

// most is how many different things are counted between two times of writing down.
const most = 10_000

// Counts are those of all pages.
type Counts struct {
	mu   sync.Mutex
	list map[store.PageCount]int
}

// Add counts somebody who came so far on a page; the count itself is left out of it.
func (c *Counts) Add(of store.PageCount) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.list == nil {
		c.list = map[store.PageCount]int{}
	}
	if _, known := c.list[of]; known || len(c.list) < most {
		c.list[of]++
	}
}

// Keep writes down what was counted.
func (c *Counts) Keep(ctx context.Context, db *store.DB) error {
	c.mu.Lock()
	list := c.list
	c.list = nil
	c.mu.Unlock()
	if len(list) == 0 {
		return nil
	}
	rows := make([]store.PageCount, 0, len(list))
	for of, n := range list {
		of.N = n
		rows = append(rows, of)
	}
	err := db.Write(ctx, func(tx store.Tx) error { return tx.CountPages(rows) })
	if err != nil {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.list == nil {
			c.list = map[store.PageCount]int{}
		}
		for of, n := range list {
			c.list[of] += n
		}
		return fmt.Errorf("keeping what was counted of pages: %w", err)
	}
	return nil
}
