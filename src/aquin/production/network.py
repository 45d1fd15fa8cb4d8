"""Whether a file lies in a folder of another machine: there several programs can't share SQLite's log safely."""

from pathlib import Path

SHARED = {
    *(
        "nfs",
        "nfs4",
        "cifs",
        "smb3",
        "smbfs",
        "9p",
        "afs",
        "ncpfs",
        "ceph",
        "lustre",
        "gpfs",
        "beegfs",
        "ocfs2",
    ),
    *("gfs2", "davfs", "vboxsf", "prl_fs", "fuse.sshfs", "fuse.glusterfs", "fuse.ceph", "fuse.rclone"),
    *("fuse.davfs2", "fuse.vmhgfs-fuse"),
}
"""Kinds of file systems, as the kernel names them, whose files other machines may hold open."""

MOUNTS = Path("/proc/self/mountinfo")


def network(path: Path) -> str:
    """The kind of the network file system that a file lies on; empty for a drive of this machine, or where that is not
    known (proc(5) describes the table).
    """
    try:
        lines = MOUNTS.read_text(encoding="utf-8", errors="replace").splitlines()
        there = path.resolve()
    except OSError:
        return ""
    best, kind = -1, ""
    for line in lines:
        before, _, after = line.partition(" - ")
        words, kinds = before.split(), after.split()
        if len(words) < 5 or not kinds:
            continue
        mount = Path(words[4].replace("\\040", " "))
        if there.is_relative_to(mount) and len(mount.parts) >= best:
            best, kind = len(mount.parts), kinds[0]
    return kind if kind in SHARED else ""
