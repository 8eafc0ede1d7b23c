-- +goose Up
-- Candidates that a client looks at behind a link of which only the hash is known
-- here, and what they say of each.
CREATE TABLE IF NOT EXISTS reviews (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  client_id BIGINT NOT NULL,
  token BINARY(32) NOT NULL UNIQUE,
  recipient VARCHAR(120) NOT NULL,
  greeting VARCHAR(1000) NOT NULL DEFAULT '',
  ground VARCHAR(7) CHARACTER SET ascii NOT NULL DEFAULT '',
  closes_at DATETIME(6) NULL,
  withdrawn_at DATETIME(6) NULL,
  answered_at DATETIME(6) NULL,
  who VARCHAR(80) NOT NULL DEFAULT '',
  made_at DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6),
  FOREIGN KEY (client_id) REFERENCES clients (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
CREATE TABLE IF NOT EXISTS review_picks (
  review_id BIGINT NOT NULL,
  candidate_id BIGINT NOT NULL,
  favourite BOOLEAN NOT NULL DEFAULT FALSE,
  line VARCHAR(1000) NOT NULL DEFAULT '',
  PRIMARY KEY (review_id, candidate_id),
  FOREIGN KEY (review_id) REFERENCES reviews (id) ON DELETE CASCADE,
  FOREIGN KEY (candidate_id) REFERENCES candidates (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- +goose Down
DROP TABLE IF EXISTS review_picks, reviews;
