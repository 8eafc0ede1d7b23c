package studio

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
)

// A backup is data: what fills a table holds values alone, and what makes one the words that
// tables are made of. A statement that does more, as reading a file of the machine, is none of
// ours, whoever made the checksum.

// onlyValues makes sure that an INSERT holds rows of literals: numbers, texts, bytes and NULL
// (MariaDB Server Documentation, "Literals").
func onlyValues(statement []byte) error {
	_, rest, ok := bytes.Cut(statement, []byte("VALUES"))
	if !ok {
		return errors.New("it has no values")
	}
	for i := 0; i < len(rest); {
		switch c := rest[i]; {
		case bytes.IndexByte([]byte(" \n\t\r(),;"), c) >= 0:
			i++
		case c == '\'':
			n := quoted(rest[i:])
			if n < 0 {
				return errors.New("a text has no end")
			}
			i += n
		case c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9':
			for i++; i < len(rest) && (rest[i] == '.' || rest[i] == '-' || rest[i] == '+' || alphanumeric(rest[i])); i++ {
			}
		case bytes.HasPrefix(rest[i:], []byte("NULL")) && !wordGoesOn(rest[i+4:]):
			i += 4
		case bytes.HasPrefix(rest[i:], []byte("_binary ")):
			i += 8
		default:
			return fmt.Errorf("%.20q is no value", rest[i:])
		}
	}
	return nil
}

// quoted is the length of a text in single quotes, with them; -1 if it has no end.
func quoted(b []byte) int {
	for i := 1; i < len(b); i++ {
		switch b[i] {
		case '\\':
			i++
		case '\'':
			if i+1 < len(b) && b[i+1] == '\'' {
				i++
				continue
			}
			return i + 1
		}
	}
	return -1
}

func alphanumeric(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '_'
}

func wordGoesOn(b []byte) bool { return len(b) > 0 && (alphanumeric(b[0]) || b[0] == '(') }

// tableWords are those that tables of ours are made of, beside names in back quotes, texts and
// numbers.
var tableWords = func() map[string]bool {
	m := map[string]bool{}
	for w := range strings.FieldsSeq(`CREATE TABLE NOT NULL DEFAULT AUTO_INCREMENT PRIMARY UNIQUE KEY CONSTRAINT FOREIGN REFERENCES ON DELETE UPDATE CASCADE SET RESTRICT NO ACTION
		CHARACTER CHARSET COLLATE ENGINE InnoDB ROW_FORMAT DYNAMIC COMMENT UNSIGNED CHECK json_valid USING BTREE GENERATED ALWAYS AS coalesce STORED VIRTUAL PERSISTENT
		bigint int mediumint smallint tinyint double float decimal varchar char text mediumtext longtext tinytext blob mediumblob longblob tinyblob binary varbinary datetime timestamp date time json enum
		current_timestamp utf8mb4 utf8mb3 utf8 ascii ascii_bin ascii_general_ci utf8mb4_bin utf8mb4_general_ci utf8mb4_unicode_ci utf8mb4_uca1400_ai_ci`) {
		m[strings.ToLower(w)] = true
	}
	return m
}()

// onlyTable makes sure that a CREATE TABLE does nothing else.
func onlyTable(statement []byte) error {
	for i := 0; i < len(statement); {
		switch c := statement[i]; {
		case c == '\'':
			n := quoted(statement[i:])
			if n < 0 {
				return errors.New("a text has no end")
			}
			i += n
		case c == '`':
			n := bytes.IndexByte(statement[i+1:], '`')
			if n < 0 {
				return errors.New("a name has no end")
			}
			i += n + 2
		case alphanumeric(c):
			from := i
			for i++; i < len(statement) && alphanumeric(statement[i]); i++ {
			}
			w := strings.ToLower(string(statement[from:i]))
			if !tableWords[w] && strings.Trim(w, "0123456789") != "" {
				return fmt.Errorf("%q makes no table", w)
			}
		case bytes.IndexByte([]byte(" \n\t\r(),;=."), c) >= 0:
			i++
		default:
			return fmt.Errorf("%q makes no table", c)
		}
	}
	return nil
}
