package proof

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"niche/core/span"
	"niche/internal/store"
	"niche/internal/words"
)

// StepState is how a step of a proof went.
type StepState string

// The states of a step.
const (
	Waiting    StepState = "waiting"
	Running    StepState = "running"
	Held       StepState = "held"
	Failed     StepState = "failed"
	PassedOver StepState = "passed over" // there is nothing to prove by it
	NotTried   StepState = "not tried"   // because an earlier one failed, or the proof was stopped
)

// Report is the evidence of a proof.
type Report struct {
	ID        store.ID      `json:"id"`
	Link      store.ID      `json:"link"`
	Staff     store.NamedID `json:"staff"`
	Host      string        `json:"host" doc:"Where the calendars are, by its name."`
	Blocks    []string      `json:"blocks" doc:"Names of the calendars that block time."`
	Gets      []string      `json:"gets" doc:"Names of the calendars that get bookings."`
	State     string        `json:"state" enum:"waiting,running,held,failed,stopped"`
	Words     string        `json:"words" doc:"What came of it, in a few words."`
	AskedBy   string        `json:"askedBy" doc:"Whose wish it was; empty for the schedule's."`
	Begun     span.Instant  `json:"begun" format:"date-time"`
	Ended     span.Instant  `json:"ended" format:"date-time" doc:"The beginning of 1970 while it runs."`
	Zone      string        `json:"zone" doc:"The owner's, in which times are written."`
	Service   string        `json:"service" doc:"The service of which a start was tried; empty for none."`
	Start     string        `json:"start" doc:"That start, in words; empty for none."`
	Steps     []Step        `json:"steps"`
	LeftOver  bool          `json:"leftOver" doc:"Something that it wrote may still be outside; it is removed as soon as that can be."`
	StartedAt span.Instant  `json:"startedAt" format:"date-time" doc:"The start that was tried; the beginning of 1970 for none."`
}

// Step is one step with its evidence.
type Step struct {
	Key      string    `json:"key" doc:"sign-in, events, event, gone, back, booking, copy, second, cancelled or clean."`
	Label    string    `json:"label"`
	State    StepState `json:"state" enum:"waiting,running,held,failed,passed over,not tried"`
	Expected string    `json:"expected"`
	Seen     string    `json:"seen" doc:"Empty before it is tried."`
	Millis   int64     `json:"millis" doc:"How long it took, in thousandths of a second."`
	Cause    string    `json:"cause" doc:"The likeliest cause of a failure, in words."`
	Mend     *Mend     `json:"mend,omitempty"`
	Lane     *Lane     `json:"lane,omitempty"`
	Copies   []Copied  `json:"copies,omitempty"`
}

// Mend is a press that mends a failure, or leads there.
type Mend struct {
	Words string `json:"words"`
	Where string `json:"where" doc:"The path of the screen."`
}

// Lane is the person's day as a client sees it, before and after an event came.
type Lane struct {
	Day    string          `json:"day" doc:"In words."`
	From   span.Instant    `json:"from" format:"date-time"`
	To     span.Instant    `json:"to" format:"date-time"`
	Hours  []string        `json:"hours" doc:"Labels of full hours, the first at From."`
	Open   []words.Stretch `json:"open" doc:"Working hours."`
	Before Side            `json:"before"`
	After  Side            `json:"after"`
}

// Side is what takes a day's time at a moment, and the starts that were offered then.
type Side struct {
	Busy   []words.Stretch `json:"busy"`
	Starts []DayStart      `json:"starts"`
}

// DayStart is a start of a day.
type DayStart struct {
	At      span.Instant `json:"at" format:"date-time"`
	Label   string       `json:"label"`
	Offered bool         `json:"offered"`
	Reason  string       `json:"reason" doc:"The code of the first reason for which it is refused; empty when it is offered."`
}

// Copied is a copy as it was fetched from its host.
type Copied struct {
	Calendar string  `json:"calendar"`
	Fields   []Field `json:"fields"`
}

// Field is one thing that a copy says.
type Field struct {
	Name string `json:"name"`
	Says string `json:"says" doc:"What the booking says."`
	Copy string `json:"copy" doc:"What the copy says."`
	Same bool   `json:"same"`
}

// ReportOf reads the evidence of a proof.
func ReportOf(p store.Proof) (r Report, err error) {
	if p.Report != "" {
		err = json.Unmarshal([]byte(p.Report), &r)
	}
	r.ID, r.Link, r.State, r.Words, r.AskedBy, r.Begun, r.Ended, r.LeftOver = p.ID, p.LinkID, string(p.State), p.Words, p.AskedBy, p.BegunAt, p.EndedAt, p.LeftOver
	if r.Steps == nil {
		r.Steps = []Step{}
	}
	return r, err
}

// slower is by how much longer a step has to take to be worth a word.
const slower = 300 * time.Millisecond

// Compared says how a proof differs from an earlier one; empty where one of them has not come to an end.
func Compared(now, before Report) string {
	earlier := map[string]Step{}
	for _, s := range before.Steps {
		earlier[s.Key] = s
	}
	var news []string
	took, tookBefore := int64(0), int64(0)
	for _, s := range now.Steps {
		b, known := earlier[s.Key]
		switch {
		case !known:
			continue
		case s.State == Failed && b.State == Held:
			news = append(news, fmt.Sprintf("“%s” held then", s.Label))
		case s.State == Held && b.State == Failed:
			news = append(news, fmt.Sprintf("“%s” failed then", s.Label))
		case s.State == Held && b.State == Held:
			took, tookBefore = took+s.Millis, tookBefore+b.Millis
		}
	}
	if d := time.Duration(took-tookBefore) * time.Millisecond; d > slower && took > 2*tookBefore {
		news = append(news, fmt.Sprintf("the same steps took %s then and %s now", seconds(tookBefore), seconds(took)))
	} else if -d > slower && tookBefore > 2*took {
		news = append(news, fmt.Sprintf("the same steps took %s then and only %s now", seconds(tookBefore), seconds(took)))
	}
	if strings.Join(now.Blocks, ",") != strings.Join(before.Blocks, ",") || strings.Join(now.Gets, ",") != strings.Join(before.Gets, ",") {
		news = append(news, "other calendars were chosen then")
	}
	if len(news) == 0 {
		return "nothing differs"
	}
	return strings.Join(news, "; ")
}

// seconds writes a time that was taken: 12 ms, 0.4 s.
func seconds(millis int64) string {
	if millis < 100 {
		return fmt.Sprintf("%d ms", millis)
	}
	return fmt.Sprintf("%.1f s", float64(millis)/1000)
}
