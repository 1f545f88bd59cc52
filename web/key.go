package web

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base32"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// Key is the key to a studio that others can reach. The data folder holds its
// SHA-256 alone: it is as long as chance can make it, so no slow hash is needed.
type Key struct {
	path string

	mu     sync.Mutex
	needed bool
	looked time.Time
	hash   string // "" for no key
	err    error
}

const keyName = "key.json"

// keyFile is what the data folder holds of a key.
type keyFile struct {
	SHA256 string    `json:"sha256"`
	Made   time.Time `json:"made"`
}

// KeyOf returns the key of a data folder, which may have none.
func KeyOf(dir string) *Key { return &Key{path: filepath.Join(dir, keyName)} }

// NewKey makes a new key for a data folder and returns it: it is kept nowhere else.
// Whoever came in by an older one is out.
func NewKey(dir string) (string, error) {
	var chance [20]byte
	rand.Read(chance[:])
	key := strings.ToLower(base32.StdEncoding.EncodeToString(chance[:]))
	data, err := json.Marshal(keyFile{hashed(key), time.Now().UTC().Truncate(time.Second)})
	if err == nil {
		err = os.MkdirAll(dir, 0o700)
	}
	if err != nil {
		return "", fmt.Errorf("web: %w", err)
	}
	tmp := filepath.Join(dir, keyName+".new")
	if err = os.WriteFile(tmp, append(data, '\n'), 0o600); err == nil {
		err = os.Rename(tmp, filepath.Join(dir, keyName))
	}
	if err != nil {
		return "", fmt.Errorf("web: %w", err)
	}
	return key, nil
}

// RemoveKey takes the key off a data folder.
func RemoveKey(dir string) error {
	if err := os.Remove(filepath.Join(dir, keyName)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("web: %w", err)
	}
	return nil
}

func hashed(key string) string {
	sum := sha256.Sum256([]byte(strings.ToLower(strings.Join(strings.Fields(strings.ReplaceAll(key, "-", "")), ""))))
	return fmt.Sprintf("%x", sum)
}

// fresh is how long what the file says is believed.
const fresh = time.Second

// Stamp returns what tells this key from others, "" for no key. It is looked for
// anew, so that a new key counts at once.
func (k *Key) Stamp() (string, error) {
	if k == nil {
		return "", nil
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if time.Since(k.looked) < fresh {
		return k.hash, k.err
	}
	k.looked, k.hash, k.err = time.Now(), "", nil
	data, err := os.ReadFile(k.path)
	if errors.Is(err, os.ErrNotExist) {
		if k.needed {
			k.err = errors.New("web: the key is gone, so nobody is let in: make a new one with mobanta key new")
		}
		return "", k.err
	}
	var f keyFile
	if err == nil {
		err = json.Unmarshal(data, &f)
	}
	if err == nil && len(f.SHA256) != 64 {
		err = errors.New("it holds no key")
	}
	if err != nil { // a key that cannot be read opens nothing
		k.err = fmt.Errorf("web: the key file: %w", err)
		return "", k.err
	}
	k.hash = f.SHA256
	return k.hash, nil
}

// Require has the studio let nobody in while there is no key: others can reach it, and without one it would be open to all.
func (k *Key) Require() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.needed, k.looked = true, time.Time{}
}

// Opens tells whether a key is the right one.
func (k *Key) Opens(key string) bool {
	want, err := k.Stamp()
	return err == nil && want != "" && subtle.ConstantTimeCompare([]byte(hashed(key)), []byte(want)) == 1
}
