-- What lies in the beam comes from the view of a part of the body (data/body.toml); figures of a department's own entry for it
-- have no place any more: the entry takes those of the one it starts from.
UPDATE local_entry SET body = json_remove(body, '$.bone_mm', '$.lung_fraction', '$.fat', '$.extra_fat', '$.composition_why')
WHERE kind = 'projection';
