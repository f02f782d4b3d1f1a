// Package assign gives each of several tasks one of its options, no two of them at odds:
// first of all as many tasks as can be, and then at least cost.
//
// It is a search by branch and bound. A day of one person has some ten tasks, and for these
// it proves the best plan at once; the work is bounded all the same, and beyond the bound
// the best plan that was found is returned and said to be no more than that.
package assign

import (
	"cmp"
	"math"
	"slices"
)

// None is what a task is given that nothing is left for.
const None = -1

// Plan is what each task is given.
type Plan struct {
	Given []int // an index into the task's options, or None
	Best  bool  // no plan gives more tasks something, or as many at less cost
}

// mostSteps bounds the search.
const mostSteps = 400_000

// Best finds the plan. Costs, by task and option, are at least 0; AtOdds says whether two
// options of different tasks cannot both be had, and is asked with the lower task first.
func Best(costs [][]int, atOdds func(task, option, other, its int) bool) Plan {
	s := &search{costs: costs, atOdds: atOdds, given: make([]int, len(costs)), best: make([]int, len(costs)), least: math.MaxInt}
	s.missing = 1 // costs more than all the options together
	for _, options := range costs {
		if len(options) > 0 {
			s.missing += slices.Max(options)
		}
	}
	for i := range costs {
		s.given[i], s.best[i] = None, None
		s.order = append(s.order, i)
		byCost := make([]int, len(costs[i]))
		for o := range byCost {
			byCost[o] = o
		}
		slices.SortStableFunc(byCost, func(a, b int) int { return cmp.Compare(costs[i][a], costs[i][b]) })
		s.byCost = append(s.byCost, byCost)
	}
	// Who has little choice chooses first.
	slices.SortStableFunc(s.order, func(a, b int) int { return cmp.Compare(len(costs[a]), len(costs[b])) })
	s.rest = make([]int, len(costs)+1)
	for n := len(costs) - 1; n >= 0; n-- {
		s.rest[n] = s.rest[n+1]
		if list := costs[s.order[n]]; len(list) > 0 {
			s.rest[n] += slices.Min(list)
		} else {
			s.rest[n] += s.missing
		}
	}
	s.from(0, 0)
	return Plan{s.best, s.steps <= mostSteps}
}

// search is a plan in the making, and the best so far.
type search struct {
	costs   [][]int
	atOdds  func(task, option, other, its int) bool
	order   []int   // of the tasks
	byCost  [][]int // the options of each
	rest    []int   // what the tasks from a place in the order on cost at the very least
	missing int     // what a task costs that is given nothing
	given   []int
	best    []int
	least   int
	steps   int
}

func (s *search) from(n, cost int) {
	if s.steps++; cost+s.rest[n] >= s.least || s.steps > mostSteps {
		return
	}
	if n == len(s.order) {
		s.least = cost
		copy(s.best, s.given)
		return
	}
	task := s.order[n]
	for _, o := range s.byCost[task] {
		if s.fits(n, task, o) {
			s.given[task] = o
			s.from(n+1, cost+s.costs[task][o])
		}
	}
	s.given[task] = None
	s.from(n+1, cost+s.missing)
}

func (s *search) fits(n, task, option int) bool {
	for _, other := range s.order[:n] {
		its := s.given[other]
		if its == None {
			continue
		}
		if other < task && s.atOdds(other, its, task, option) || task < other && s.atOdds(task, option, other, its) {
			return false
		}
	}
	return true
}
