package api

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"net/http"
	"net/mail"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/crypto/bcrypt"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/store"
)

const (
	cookieName = "niche_session"
	sessionFor = 14 * 24 * time.Hour
)

// passwordCost is the work of one bcrypt hash, as a power of two.
const passwordCost = bcrypt.DefaultCost

type administratorKey struct{}

// Session says who is signed in, and whether the desk has to be set up first.
type Session struct {
	SetUpNeeded   bool           `json:"setUpNeeded"`
	Administrator *Administrator `json:"administrator,omitempty"`
	Business      *Business      `json:"business,omitempty"`
}

// Administrator is who is signed in.
type Administrator struct {
	Name  string `json:"name"`
	Email string `json:"email"`
}

// Business is whose desk it is.
type Business struct {
	Name string `json:"name" minLength:"1" maxLength:"120"`
	Zone string `json:"zone" doc:"IANA time zone."`
}

// SetUp makes the first administrator.
type SetUp struct {
	Business Business `json:"business"`
	Name     string   `json:"name" minLength:"1" maxLength:"120"`
	Email    string   `json:"email" maxLength:"254"`
	Password string   `json:"password" minLength:"10" maxLength:"72"`
}

// SignIn is a mail address and a password.
type SignIn struct {
	Email    string `json:"email" minLength:"1" maxLength:"254"`
	Password string `json:"password" minLength:"1" maxLength:"200"`
}

// sessionAnswer sets the cookie along with the session.
type sessionAnswer struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      Session
}

func (s *server) registerSession(a huma.API) {
	huma.Register(a, opened(get("/api/session", "getSession", "Who is signed in")), s.getSession)
	huma.Register(a, opened(post("/api/setup", "setUp", "Make the first administrator", http.StatusCreated)), s.setUp)
	huma.Register(a, opened(post("/api/session", "signIn", "Sign in", http.StatusCreated)), s.signIn)
	huma.Register(a, huma.Operation{Method: http.MethodDelete, Path: "/api/session", OperationID: "signOut", Summary: "Sign out"}, s.signOut)
}

// requireSession refuses operations that are not open to people who are not
// signed in, and puts the administrator into the context.
func (s *server) requireSession(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		admin, ok := s.administrator(ctx.Context(), cookieOf(ctx))
		if ok {
			next(huma.WithValue(ctx, administratorKey{}, admin))
			return
		}
		if ctx.Operation().Metadata["open"] == true {
			next(ctx)
			return
		}
		_ = huma.WriteErr(a, ctx, http.StatusUnauthorized, "Sign in first.")
	}
}

func cookieOf(ctx huma.Context) string {
	c, err := huma.ReadCookie(ctx, cookieName)
	if err != nil {
		return ""
	}
	return c.Value
}

func (s *server) administrator(ctx context.Context, token string) (a store.Administrator, ok bool) {
	if token == "" {
		return a, false
	}
	err := s.DB.Read(ctx).Joins("JOIN sessions s ON s.administrator_id = administrators.id").
		Where("s.token_hash = ? AND s.expires_at > ?", booking.HashToken(token), span.At(s.Now())).Take(&a).Error
	return a, err == nil
}

func (s *server) getSession(ctx context.Context, _ *struct{}) (*body[Session], error) {
	var count int64
	if err := s.DB.Read(ctx).Model(&store.Administrator{}).Count(&count).Error; err != nil {
		return nil, err
	}
	if a, ok := ctx.Value(administratorKey{}).(store.Administrator); ok {
		out, err := s.session(ctx, a)
		return answer(out, err)
	}
	return answer(Session{SetUpNeeded: count == 0}, nil)
}

func (s *server) session(ctx context.Context, a store.Administrator) (Session, error) {
	var b store.Business
	if err := s.DB.Read(ctx).Take(&b).Error; err != nil {
		return Session{}, err
	}
	return Session{Administrator: &Administrator{a.Name, a.Email}, Business: &Business{b.Name, b.Zone}}, nil
}

var errSetUpDone = errors.New("set up already")

func (s *server) setUp(ctx context.Context, in *struct{ Body SetUp }) (*sessionAnswer, error) {
	email, ok := mailAddress(in.Body.Email)
	if !ok {
		return nil, wrong("email", "This is not a mail address.")
	}
	if _, err := hours.LoadZone(in.Body.Business.Zone); err != nil {
		return nil, wrong("business.zone", "This is not a time zone that is known here, as in Europe/Dublin.")
	}
	hash, err := bcrypt.GenerateFromPassword([]byte(in.Body.Password), passwordCost)
	if err != nil {
		return nil, wrong("password", "This password is too long: at most 72 bytes.")
	}
	admin := store.Administrator{Name: in.Body.Name, Email: email, PasswordHash: string(hash), CreatedAt: span.At(s.Now())}
	err = s.DB.Write(ctx, func(tx *gorm.DB) error {
		var count int64
		if err := tx.Model(&store.Administrator{}).Count(&count).Error; err != nil {
			return err
		}
		if count > 0 {
			return errSetUpDone
		}
		if err := tx.Save(&store.Business{ID: 1, Name: in.Body.Business.Name, Zone: in.Body.Business.Zone}).Error; err != nil {
			return err
		}
		return tx.Create(&admin).Error
	})
	if errors.Is(err, errSetUpDone) {
		return nil, newProblem(http.StatusConflict, "Niche has been set up already. Sign in instead.")
	}
	if err != nil {
		return nil, err
	}
	return s.begin(ctx, admin)
}

// hostKey carries the address of the client's host for the limit on sign-ins.
type signInRequest struct {
	host string
	Body SignIn
}

// Resolve notes where the request comes from.
func (r *signInRequest) Resolve(ctx huma.Context) []error {
	r.host, _, _ = strings.Cut(ctx.RemoteAddr(), ":")
	return nil
}

// spent is hashed when no administrator has the mail address, so that the time
// of an answer does not tell who has.
var spent, _ = bcrypt.GenerateFromPassword([]byte("nobody's password"), passwordCost)

func (s *server) signIn(ctx context.Context, in *signInRequest) (*sessionAnswer, error) {
	email := strings.ToLower(strings.TrimSpace(in.Body.Email))
	if !s.signIns.allow("mail "+email, "host "+in.host) {
		return nil, newProblem(http.StatusTooManyRequests, "Too many tries. Wait a minute, then try again.")
	}
	var admin store.Administrator
	err := s.DB.Read(ctx).Where("email = ?", email).Take(&admin).Error
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	hash := []byte(cmp.Or(admin.PasswordHash, string(spent)))
	if bcrypt.CompareHashAndPassword(hash, []byte(in.Body.Password)) != nil || admin.ID == 0 {
		return nil, newProblem(http.StatusUnauthorized, "This mail address and password do not belong together.")
	}
	return s.begin(ctx, admin)
}

// begin starts a session.
func (s *server) begin(ctx context.Context, admin store.Administrator) (*sessionAnswer, error) {
	var raw [32]byte
	_, _ = rand.Read(raw[:]) // never fails
	token := base64.RawURLEncoding.EncodeToString(raw[:])
	now := s.Now()
	row := store.Session{TokenHash: booking.HashToken(token), AdministratorID: admin.ID, CreatedAt: span.At(now), ExpiresAt: span.At(now.Add(sessionFor))}
	err := s.DB.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("expires_at <= ?", span.At(now)).Delete(&store.Session{}).Error; err != nil {
			return err
		}
		return tx.Create(&row).Error
	})
	if err != nil {
		return nil, err
	}
	out, err := s.session(ctx, admin)
	return &sessionAnswer{SetCookie: s.cookie(token, int(sessionFor.Seconds())), Body: out}, err
}

func (s *server) cookie(token string, age int) http.Cookie {
	return http.Cookie{Name: cookieName, Value: token, Path: "/", MaxAge: age, HttpOnly: true, Secure: s.Secure, SameSite: http.SameSiteLaxMode}
}

func (s *server) signOut(ctx context.Context, in *struct {
	Token string `cookie:"niche_session"`
}) (*sessionAnswer, error) {
	err := s.DB.Write(ctx, func(tx *gorm.DB) error {
		return tx.Delete(&store.Session{}, "token_hash = ?", booking.HashToken(in.Token)).Error
	})
	return &sessionAnswer{SetCookie: s.cookie("", -1)}, err
}

// mailAddress reads a bare mail address.
func mailAddress(text string) (string, bool) {
	text = strings.TrimSpace(text)
	a, err := mail.ParseAddress(text)
	if err != nil || a.Address != text || !strings.Contains(text, ".") {
		return "", false
	}
	return strings.ToLower(a.Address), true
}
