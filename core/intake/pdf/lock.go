package pdf

import (
	"bytes"
	"crypto/aes"
	"crypto/cipher"
	"crypto/md5"
	"crypto/rc4"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/binary"
	"fmt"
)

// A lock deciphers what the standard security handler enciphered (PDF 32000-1
// section 7.6, and for 256-bit keys ISO 32000-2 section 7.6).
type lock struct {
	key     []byte
	method  map[bool]cipherMethod // of strings (false) and of streams (true)
	keep    int                   // the object that says how, which is plain
	plainMD bool                  // metadata are not enciphered
}

type cipherMethod uint8

const (
	rc4Cipher cipherMethod = iota
	aesCipher
	aes256Cipher
	noCipher
)

// padding is put after passwords (algorithm 2).
var padding = []byte("\x28\xBF\x4E\x5E\x4E\x75\x8A\x41\x64\x00\x4E\x56\xFF\xFA\x01\x08\x2E\x2E\x00\xB6\xD0\x68\x3E\x80\x2F\x0C\xA9\xFE\x64\x53\x69\x7A")

// newLock opens a file with a password, be it the one to open it or the one to
// change it. Files that need none to be opened are opened.
func newLock(f *file, d dict, password string) (*lock, error) {
	if d == nil || f.name(d["Filter"]) != "Standard" {
		return nil, fmt.Errorf("the PDF is locked in a way that is not known here (%q)", string(f.name(d["Filter"])))
	}
	v, r := int(f.number(d["V"], 0)), int(f.number(d["R"], 2))
	bits := int(f.number(d["Length"], 40))
	l := &lock{plainMD: f.get(d["EncryptMetadata"]) == false}
	switch v {
	case 1, 2, 3:
		if v == 1 {
			bits = 40
		}
		l.method = map[bool]cipherMethod{false: rc4Cipher, true: rc4Cipher}
	case 4, 5:
		if v == 4 {
			bits = 128
		}
		l.method = map[bool]cipherMethod{false: f.cipherOf(d, "StrF"), true: f.cipherOf(d, "StmF")}
	default:
		return nil, fmt.Errorf("the PDF is locked in a way that is not known here (version %d)", v)
	}
	o, _ := f.get(d["O"]).(text)
	u, _ := f.get(d["U"]).(text)
	if v < 5 && (bits < 40 || bits > 128 || bits%8 != 0) || len(o) < 32 || len(u) < 32 {
		return nil, fmt.Errorf("the PDF is locked, and what says how is damaged")
	}
	if v == 5 {
		oe, _ := f.get(d["OE"]).(text)
		ue, _ := f.get(d["UE"]).(text)
		l.key = key256([]byte(password), []byte(o), []byte(u), []byte(oe), []byte(ue), r)
	} else {
		id := ""
		if ids := f.array(f.trailer["ID"]); len(ids) > 0 {
			t, _ := f.get(ids[0]).(text)
			id = string(t)
		}
		h := handler{r: r, bytes: bits / 8, owner: []byte(o), user: []byte(u), perms: uint32(int64(f.number(d["P"], 0))), id: []byte(id), plainMD: l.plainMD}
		l.key = h.open([]byte(password))
	}
	if l.key == nil {
		return nil, ErrLocked
	}
	return l, nil
}

// cipherOf is the method of a crypt filter (section 7.6.5).
func (f *file) cipherOf(d dict, which name) cipherMethod {
	n := f.name(d[which])
	if n == "" || n == "Identity" {
		return noCipher
	}
	switch f.name(f.dict(f.dict(d["CF"])[n])["CFM"]) {
	case "AESV2":
		return aesCipher
	case "AESV3":
		return aes256Cipher
	case "V2":
		return rc4Cipher
	}
	return noCipher
}

// A handler is what the keys of 40 to 128 bits are made of.
type handler struct {
	r, bytes    int
	owner, user []byte
	perms       uint32
	id          []byte
	plainMD     bool
}

func padded(p []byte) []byte { return append(bytes.Clone(p), padding...)[:32] }

func (h handler) open(password []byte) []byte {
	if k := h.key(password); h.fits(k) {
		return k
	}
	// The owner's password gives the user's (algorithm 7).
	sum := md5.Sum(padded(password))
	k := sum[:]
	if h.r >= 3 {
		for range 50 {
			s := md5.Sum(k)
			k = s[:]
		}
	}
	user := bytes.Clone(h.owner[:32])
	for i := 19; i >= 0; i-- {
		if h.r < 3 && i > 0 {
			continue
		}
		crypt4(xor(k[:h.bytes], byte(i)), user)
	}
	if k := h.key(user); h.fits(k) {
		return k
	}
	return nil
}

// key is algorithm 2.
func (h handler) key(password []byte) []byte {
	m := md5.New()
	m.Write(padded(password))
	m.Write(h.owner[:32])
	m.Write(binary.LittleEndian.AppendUint32(nil, h.perms))
	m.Write(h.id)
	if h.r >= 4 && h.plainMD {
		m.Write([]byte{255, 255, 255, 255})
	}
	k := m.Sum(nil)
	n := min(h.bytes, 16)
	if h.r >= 3 {
		for range 50 {
			s := md5.Sum(k[:n])
			k = s[:]
		}
	}
	return k[:n]
}

// fits is algorithms 4 to 6.
func (h handler) fits(key []byte) bool {
	if h.r < 3 {
		want := bytes.Clone(padding)
		crypt4(key, want)
		return bytes.Equal(want, h.user[:32])
	}
	sum := md5.Sum(append(bytes.Clone(padding), h.id...))
	want := sum[:]
	for i := range 20 {
		crypt4(xor(key, byte(i)), want)
	}
	return bytes.Equal(want, h.user[:16])
}

func xor(key []byte, v byte) []byte {
	out := bytes.Clone(key)
	for i := range out {
		out[i] ^= v
	}
	return out
}

func crypt4(key, data []byte) {
	if c, err := rc4.NewCipher(key); err == nil { // keys of 5 to 16 bytes do
		c.XORKeyStream(data, data)
	}
}

// key256 is algorithm 2.A of ISO 32000-2.
func key256(password, o, u, oe, ue []byte, r int) []byte {
	password = password[:min(len(password), 127)]
	if len(o) < 48 || len(u) < 48 || len(oe) < 32 || len(ue) < 32 {
		return nil
	}
	open := func(who, wrapped, extra []byte) []byte {
		if !bytes.Equal(hash256(password, who[32:40], extra, r), who[:32]) {
			return nil
		}
		c, err := aes.NewCipher(hash256(password, who[40:48], extra, r))
		if err != nil {
			return nil
		}
		key := bytes.Clone(wrapped[:32])
		cipher.NewCBCDecrypter(c, make([]byte, 16)).CryptBlocks(key, key)
		return key
	}
	if k := open(u, ue, nil); k != nil {
		return k
	}
	return open(o, oe, u[:48])
}

// hash256 is algorithm 2.B; revision 5 hashes once.
func hash256(password, salt, extra []byte, r int) []byte {
	sum := sha256.Sum256(bytes.Join([][]byte{password, salt, extra}, nil))
	k := sum[:]
	for i := 0; r >= 6; i++ {
		e := bytes.Repeat(bytes.Join([][]byte{password, k, extra}, nil), 64)
		c, err := aes.NewCipher(k[:16])
		if err != nil {
			return nil
		}
		cipher.NewCBCEncrypter(c, k[16:32]).CryptBlocks(e, e)
		mod := 0
		for _, b := range e[:16] {
			mod += int(b)
		}
		switch mod % 3 {
		case 0:
			s := sha256.Sum256(e)
			k = s[:]
		case 1:
			s := sha512.Sum384(e)
			k = s[:]
		default:
			s := sha512.Sum512(e)
			k = s[:]
		}
		// At least 64 rounds, and on until the last byte is no more than their
		// number less 32.
		if done := i + 1; done >= 64 && int(e[len(e)-1]) <= done-32 {
			break
		}
	}
	return k[:32]
}

// open deciphers the strings and streams of an object.
func (l *lock) open(o any, num, gen int) any {
	if num == l.keep {
		return o
	}
	switch o := o.(type) {
	case text:
		return text(l.decipher([]byte(o), num, gen, l.method[false]))
	case array:
		for i := range o {
			o[i] = l.open(o[i], num, gen)
		}
	case dict:
		for k, v := range o {
			o[k] = l.open(v, num, gen)
		}
	case *stream:
		t := o.dict["Type"]
		if t == name("XRef") {
			return o
		}
		l.open(o.dict, num, gen)
		if t == name("Metadata") && l.plainMD {
			return o
		}
		o.raw = l.decipher(bytes.Clone(o.raw), num, gen, l.method[true])
	}
	return o
}

// decipher is algorithm 1, and 1.A for keys of 256 bits.
func (l *lock) decipher(b []byte, num, gen int, m cipherMethod) []byte {
	key := l.key
	if m == rc4Cipher || m == aesCipher {
		k := append(bytes.Clone(key), byte(num), byte(num>>8), byte(num>>16), byte(gen), byte(gen>>8))
		if m == aesCipher {
			k = append(k, "sAlT"...)
		}
		sum := md5.Sum(k)
		key = sum[:min(len(key)+5, 16)]
	}
	switch m {
	case noCipher:
		return b
	case rc4Cipher:
		crypt4(key, b)
		return b
	}
	c, err := aes.NewCipher(key)
	if err != nil || len(b) < 32 || len(b)%16 != 0 {
		return nil
	}
	iv, body := b[:16], b[16:]
	cipher.NewCBCDecrypter(c, iv).CryptBlocks(body, body)
	if n := int(body[len(body)-1]); n >= 1 && n <= 16 {
		body = body[:len(body)-n]
	}
	return body
}
