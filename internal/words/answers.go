package words

import "niche/core/ics"

// OfAnswer says what somebody has answered to an invitation; empty for nothing yet.
func OfAnswer(partStat string) string {
	return map[ics.PartStat]string{ics.Accepted: "coming", ics.Tentatively: "perhaps coming", ics.NotComing: "not coming"}[ics.PartStat(partStat)]
}
