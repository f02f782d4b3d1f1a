package standin

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

// Client is a program that may ask people to sign in (RFC 6749, section 2).
type Client struct {
	ID        string
	Secret    string
	Redirects []string // whole and exact
}

// Scope is the one that opens calendars. Staying in is another, as with many hosts.
const (
	Scope   = "calendars"
	Offline = "offline_access"
)

// How long what is given lasts.
const (
	codeFor   = time.Minute
	accessFor = time.Hour
)

// grant is a consent of a user, with what was given for it.
type grant struct {
	Client, User, Redirect, Challenge string
	Scopes                            []string
	Code                              string    // until it is used
	Used                              string    // the code that was: shown again, everything ends (section 4.1.2)
	Until                             time.Time // of the code, and then of the access token
	Access, Refresh                   string
	Before                            string // the refresh token that was followed by another: shown again, everything ends
}

// Register lets a program ask people to sign in, in place of what it was before.
func (c *Cloud) Register(client Client) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.clients = slices.DeleteFunc(c.clients, func(k Client) bool { return k.ID == client.ID })
	c.clients = append(c.clients, client)
}

// Withdraw ends everything that a user has consented to.
func (c *Cloud) Withdraw(user string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.Grants = slices.DeleteFunc(c.Grants, func(g *grant) bool { return g.User == user })
}

// Consents returns for how many programs a user has consented.
func (c *Cloud) Consents(user string) (n int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, g := range c.Grants {
		if g.User == user && g.Access != "" {
			n++
		}
	}
	return n
}

func random() string {
	var b [24]byte
	_, _ = rand.Read(b[:])
	return base64.RawURLEncoding.EncodeToString(b[:])
}

// byToken returns whose access token it is, and whether it opens calendars.
func (c *Cloud) byToken(token string) (account Account, opens, known bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, g := range c.Grants {
		if token != "" && g.Access == token && c.now().Before(g.Until) {
			a, ok := c.account(g.User)
			return a, slices.Contains(g.Scopes, Scope), ok
		}
	}
	return account, false, false
}

func (c *Cloud) oauth(mux *http.ServeMux) {
	mux.HandleFunc("GET /.well-known/oauth-authorization-server", func(w http.ResponseWriter, r *http.Request) {
		at := "http://" + r.Host
		answer(w, http.StatusOK, map[string]any{"issuer": at, "authorization_endpoint": at + "/authorize", "token_endpoint": at + "/token", "revocation_endpoint": at + "/revoke",
			"authorization_response_iss_parameter_supported": true, "scopes_supported": []string{Scope, Offline}, "code_challenge_methods_supported": []string{"S256"},
			"response_types_supported": []string{"code"}, "grant_types_supported": []string{"authorization_code", "refresh_token"}})
	})
	mux.HandleFunc("GET /authorize", c.authorize)
	mux.HandleFunc("POST /authorize", c.authorize)
	mux.HandleFunc("POST /token", c.token)
	mux.HandleFunc("POST /revoke", c.revoke)
	mux.HandleFunc("POST /withdraw/{user}", func(w http.ResponseWriter, r *http.Request) {
		c.Withdraw(r.PathValue("user"))
		http.Redirect(w, r, "/", http.StatusSeeOther)
	})
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body)
}

func refuse(w http.ResponseWriter, status int, code, description string) {
	answer(w, status, map[string]string{"error": code, "error_description": description})
}

func (c *Cloud) client(id string) (Client, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	i := slices.IndexFunc(c.clients, func(k Client) bool { return k.ID == id })
	if i < 0 {
		return Client{}, false
	}
	return c.clients[i], true
}

// authorize is the page on which a person consents, and what comes of it.
func (c *Cloud) authorize(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	client, known := c.client(r.FormValue("client_id"))
	redirect := r.FormValue("redirect_uri")
	if !known || !slices.Contains(client.Redirects, redirect) {
		// Nobody is sent to an address that is not registered (section 4.1.2.1).
		what := "The program that sends you is not known here."
		if known {
			what = "The return address " + redirect + " is not registered here for this program."
		}
		render(w, http.StatusBadRequest, "consent.html", map[string]any{"Fault": what})
		return
	}
	back := func(values url.Values) {
		values.Set("state", r.FormValue("state"))
		values.Set("iss", "http://"+r.Host)
		http.Redirect(w, r, redirect+"?"+values.Encode(), http.StatusSeeOther)
	}
	scopes := strings.Fields(r.FormValue("scope"))
	switch {
	case r.FormValue("response_type") != "code":
		back(url.Values{"error": {"unsupported_response_type"}})
	case r.FormValue("code_challenge") == "" || r.FormValue("code_challenge_method") != "S256":
		back(url.Values{"error": {"invalid_request"}, "error_description": {"A proof key by S256 is needed"}})
	case slices.ContainsFunc(scopes, func(s string) bool { return s != Scope && s != Offline }):
		back(url.Values{"error": {"invalid_scope"}, "error_description": {"Known are " + Scope + " and " + Offline}})
	case r.Method == http.MethodGet:
		render(w, http.StatusOK, "consent.html", map[string]any{"Client": client.ID, "Accounts": c.Accounts, "Scopes": scopes, "Asked": r.URL.Query(), "Fault": ""})
	case r.PostFormValue("do") != "allow":
		back(url.Values{"error": {"access_denied"}})
	default:
		user := r.PostFormValue("user")
		if _, ok := c.account(user); !ok {
			back(url.Values{"error": {"access_denied"}})
			return
		}
		g := &grant{Client: client.ID, User: user, Redirect: redirect, Challenge: r.FormValue("code_challenge"), Scopes: scopes, Code: random(), Until: c.now().Add(codeFor)}
		c.mu.Lock()
		c.Grants = append(c.Grants, g)
		c.mu.Unlock()
		back(url.Values{"code": {g.Code}})
	}
}

// token gives tokens for a code or for a refresh token, which is followed by another one
// each time.
func (c *Cloud) token(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	client, ok := c.proven(r)
	if !ok {
		w.Header().Set("WWW-Authenticate", `Basic realm="Calendar host"`)
		refuse(w, http.StatusUnauthorized, "invalid_client", "Client id and secret do not belong together")
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	at := -1
	switch r.PostFormValue("grant_type") {
	case "authorization_code":
		code := r.PostFormValue("code")
		at = slices.IndexFunc(c.Grants, func(g *grant) bool { return code != "" && (g.Code == code || g.Used == code) && g.Client == client.ID })
		if at < 0 {
			refuse(w, http.StatusBadRequest, "invalid_grant", "The code is not known")
			return
		}
		g := c.Grants[at]
		sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
		switch {
		case g.Code == "":
			c.Grants = slices.Delete(c.Grants, at, at+1)
			refuse(w, http.StatusBadRequest, "invalid_grant", "The code was used before")
			return
		case g.Redirect != r.PostFormValue("redirect_uri"):
			refuse(w, http.StatusBadRequest, "invalid_grant", "The return address differs")
			return
		case g.Challenge != base64.RawURLEncoding.EncodeToString(sum[:]), c.now().After(g.Until):
			refuse(w, http.StatusBadRequest, "invalid_grant", "The code has ended, or its proof is wrong")
			return
		}
		g.Used, g.Code = g.Code, ""
	case "refresh_token":
		token := r.PostFormValue("refresh_token")
		at = slices.IndexFunc(c.Grants, func(g *grant) bool {
			return token != "" && (g.Refresh == token || g.Before == token) && g.Client == client.ID
		})
		if at < 0 {
			refuse(w, http.StatusBadRequest, "invalid_grant", "The consent has been withdrawn")
			return
		}
		if g := c.Grants[at]; g.Before == token {
			c.Grants = slices.Delete(c.Grants, at, at+1)
			refuse(w, http.StatusBadRequest, "invalid_grant", "The refresh token was used before")
			return
		}
	default:
		refuse(w, http.StatusBadRequest, "unsupported_grant_type", "")
		return
	}
	g := c.Grants[at]
	g.Access, g.Until = random(), c.now().Add(accessFor)
	body := map[string]any{"access_token": g.Access, "token_type": "Bearer", "expires_in": int(accessFor / time.Second), "scope": strings.Join(g.Scopes, " ")}
	if slices.Contains(g.Scopes, Offline) {
		g.Before, g.Refresh = g.Refresh, random()
		body["refresh_token"] = g.Refresh
	}
	if err := c.save(); err != nil {
		refuse(w, http.StatusInternalServerError, "server_error", "")
		return
	}
	answer(w, http.StatusOK, body)
}

// proven returns the program that asks, if it proves to be it.
func (c *Cloud) proven(r *http.Request) (Client, bool) {
	id, secret, basic := r.BasicAuth()
	if basic {
		id, _ = url.QueryUnescape(id)
		secret, _ = url.QueryUnescape(secret)
	} else {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	client, ok := c.client(id)
	return client, ok && client.Secret == secret
}

// revoke ends what a token belongs to (RFC 7009).
func (c *Cloud) revoke(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	client, ok := c.proven(r)
	if !ok {
		refuse(w, http.StatusUnauthorized, "invalid_client", "")
		return
	}
	token := r.PostFormValue("token")
	c.mu.Lock()
	defer c.mu.Unlock()
	c.Grants = slices.DeleteFunc(c.Grants, func(g *grant) bool {
		return g.Client == client.ID && token != "" && (g.Refresh == token || g.Access == token)
	})
	_ = c.save()
}
