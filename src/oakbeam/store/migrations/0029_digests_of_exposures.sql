-- What each exposure was when the chain of the audit began to take exposures in: by hash, and the hashes themselves by the audit row
-- that this step writes (store/audit_chain.py: begin).
CREATE TABLE exposure_before (exposure INTEGER PRIMARY KEY, digest TEXT NOT NULL) STRICT;
CREATE TRIGGER exposure_before_never_changes BEFORE UPDATE ON exposure_before
BEGIN SELECT RAISE(ABORT, 'what was before never changes'); END;
CREATE TRIGGER exposure_before_is_kept BEFORE DELETE ON exposure_before
BEGIN SELECT RAISE(ABORT, 'what was before is kept'); END;
