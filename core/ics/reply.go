package ics

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/span"
)

// PartStat is what somebody who is asked has answered (RFC 5545, section 3.2.12).
type PartStat string

// The answers.
const (
	NeedsAction PartStat = "" // none yet
	Accepted    PartStat = "ACCEPTED"
	Tentatively PartStat = "TENTATIVE"
	NotComing   PartStat = "DECLINED"
)

// Answer is what somebody says to an invitation: an answer (REPLY), or the wish for another
// time (COUNTER).
type Answer struct {
	UID      string
	Sequence int          // of the invitation that is answered
	Stamp    span.Instant // when the answer was made (DTSTAMP); 0 where that cannot be read
	Mail     string       // who answers, in small letters
	PartStat PartStat
	Comment  string
	Wish     span.Span // the time that is wished for; empty for none
}

// ErrNoAnswer says that a calendar object is no answer to an invitation.
var ErrNoAnswer = errors.New("this is no answer to an invitation")

// ReadAnswer reads an answer (RFC 5546, sections 3.2.3 and 3.2.7). Whom it comes from is told
// by its one attendee; whether it may be believed is for the caller.
func ReadAnswer(r io.Reader) (Answer, error) {
	in := newReader(r)
	s := newScope(Scope{Zone: hours.Zone{}})
	method := ""
	var found *Component
	var e event
	var fault error // of its time, which only a wish needs
	for {
		c, err := in.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return Answer{}, fmt.Errorf("reading an answer: %w", err)
		}
		switch c.Name {
		case "VTIMEZONE":
			s.defined[c.value("TZID")] = c
		case "VCALENDAR":
			method = strings.ToUpper(strings.TrimSpace(c.value("METHOD")))
			s.bindZones()
		case "VEVENT":
			if found != nil {
				return Answer{}, fmt.Errorf("%w: it is about several events", ErrNoAnswer)
			}
			found = &c
			e, fault = s.parse(c)
		}
	}
	if found == nil || method != "REPLY" && method != "COUNTER" {
		return Answer{}, ErrNoAnswer
	}
	a := Answer{UID: found.value("UID")}
	a.Sequence, _ = strconv.Atoi(strings.TrimSpace(found.value("SEQUENCE")))
	if at, err := time.Parse(utcLayout, found.value("DTSTAMP")); err == nil {
		a.Stamp = span.At(at)
	}
	for _, p := range found.Props {
		switch p.Name {
		case "ATTENDEE":
			if a.Mail != "" {
				return Answer{}, fmt.Errorf("%w: several people answer at once", ErrNoAnswer)
			}
			a.Mail = strings.TrimPrefix(address(p.Value), "mailto:")
			a.PartStat = PartStat(strings.ToUpper(p.Param("PARTSTAT")))
		case "COMMENT":
			a.Comment = plain(p.Text())
		}
	}
	switch {
	case a.Mail == "":
		return Answer{}, fmt.Errorf("%w: nobody answers", ErrNoAnswer)
	case a.PartStat == "NEEDS-ACTION" || method == "COUNTER" && a.PartStat != Accepted && a.PartStat != NotComing:
		a.PartStat = NeedsAction
	case a.PartStat != Accepted && a.PartStat != Tentatively && a.PartStat != NotComing:
		return Answer{}, fmt.Errorf("%w: it says %q", ErrNoAnswer, a.PartStat)
	}
	if method == "COUNTER" {
		if fault == nil {
			fault = e.check()
		}
		if fault != nil {
			return Answer{}, fmt.Errorf("reading an answer: %w", fault)
		}
		lasts, err := lengthOf(e.length, e.start, e.end, e.lasts)
		if err != nil {
			return Answer{}, fmt.Errorf("reading an answer: %w", err)
		}
		a.Wish = e.start.span(e.start.at(), lasts)
	}
	return a, nil
}
