"""Endings of camera raw files; apart, so that asking for them loads no library."""

#: Of raw files, some of which share their first bytes with TIFF or have none of their own.
RAW_ENDINGS = (
    *".dng .3fr .arw .cr2 .cr3 .crw .dcr .erf .fff .iiq .kdc .mef .mos".split(),
    *".mrw .nef .nrw .orf .pef .raf .raw .rw2 .rwl .sr2 .srf .srw .x3f".split(),
)
