-- A department's own dose levels name their quantity and for whom, as the shipped ones do now.
UPDATE local_entry
SET body = json_set(
    json_remove(body, '$.reference_kerma_mgy', '$.child_kap_mgycm2'),
    '$.dose_levels',
    (
        SELECT json_group_array(json(level)) FROM (
            SELECT json_object('quantity', 'incident_air_kerma', 'value', json_extract(body, '$.reference_kerma_mgy')) AS level
            WHERE json_type(body, '$.reference_kerma_mgy') IN ('integer', 'real')
            UNION ALL
            SELECT json_object(
                'quantity', 'kerma_area_product',
                'value', json_extract(band.value, '$[2]'),
                'kg', json_array(json_extract(band.value, '$[0]'), json_extract(band.value, '$[1]'))
            )
            FROM json_each(body, '$.child_kap_mgycm2') AS band
        )
    )
)
WHERE kind = 'projection'
    AND (json_type(body, '$.reference_kerma_mgy') IS NOT NULL OR json_type(body, '$.child_kap_mgycm2') IS NOT NULL);
