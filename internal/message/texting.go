package message

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"unicode/utf8"

	"niche/core/merge"
	"niche/internal/gateway"
	"niche/internal/outbound"
	"niche/internal/store"
	"niche/internal/words"
)

// textHost is what the text gateway is called among the hosts.
var textHost = store.GatewayHost(store.Texts)

// UsualTextBody is what a text gateway is sent where nobody has said otherwise.
const UsualTextBody = `{"to": "{to}", "text": "{text}"}`

// TextFields are those that the body for a text gateway can name.
var TextFields = merge.TextFields([][2]string{
	{"to", "the telephone number, as +353…"},
	{"text", "the text"},
	{"id", "what the message is known by: the same in every try"},
})

// TextBody fills a body of JSON for a text gateway; values are written as parts of JSON strings.
func TextBody(template, to, text, id string) ([]byte, error) {
	var pairs []string
	for _, v := range [][2]string{{"{to}", to}, {"{text}", text}, {"{id}", id}} {
		quoted, err := json.Marshal(v[1])
		if err != nil {
			return nil, err
		}
		pairs = append(pairs, v[0], string(quoted[1:len(quoted)-1]))
	}
	body := []byte(strings.NewReplacer(pairs...).Replace(template))
	if !json.Valid(body) {
		return nil, errors.New("the body is no JSON")
	}
	return body, nil
}

// longestText is more than a text to a telephone can well have, in characters.
const longestText = 600

// byText sends a message to a telephone. The gateway knows it by what it is known by here, so
// that one whose sending was cut off arrives once.
func (m *Messages) byText(ctx context.Context, db store.Tx, row *store.Message) (Letter, error) {
	g, err := db.Gateway(store.Texts)
	if store.IsMissing(err) {
		row.Error = "No text gateway is set up."
		return Letter{}, errNoWay
	}
	if err != nil {
		return Letter{}, err
	}
	letter, err := m.letter(ctx, db, store.MailServer{}, *row)
	if err != nil {
		return letter, err
	}
	body, err := TextBody(g.Body, row.Recipient, Cut(letter.Body), row.MessageID)
	if err != nil {
		return letter, fmt.Errorf("writing a text: %w", err)
	}
	return letter, m.Gateways.Ask(ctx, g, http.MethodPut, "/messages/"+url.PathEscape(row.MessageID), body, nil)
}

// Cut makes a text one that goes to a telephone: without empty lines, and not too long.
func Cut(text string) string {
	text = strings.TrimSpace(text)
	for strings.Contains(text, "\n\n") {
		text = strings.ReplaceAll(text, "\n\n", "\n")
	}

	if utf8.RuneCountInString(text) <= longestText {
		return text
	}
	return string([]rune(text)[:longestText-1]) + "…"
}

// textFault tells by an error why a text did not go out.
func textFault(err error) Fault {
	var e *outbound.Error
	if !errors.As(err, &e) {
		return Fault{words.OfGateway(err), false, false}
	}
	return Fault{words.OfGateway(err), e.Status == http.StatusUnprocessableEntity || e.Status == http.StatusBadRequest, outbound.IsSilence(err)}
}

// TryText has a text gateway send a text to a telephone.
func TryText(ctx context.Context, gateways gateway.Gateways, g store.Gateway, key, to, text string) error {
	body, err := TextBody(g.Body, to, text, key)
	if err != nil {
		return err
	}
	return gateways.Ask(ctx, g, http.MethodPut, "/messages/"+key, body, nil)
}
