"""What `aquin share`, `people` and `unsent` say."""

from typing import Any


def say_shared(data: dict[str, Any]) -> None:
    if "file" in data:
        print(f"{data['production']} is in {data['file']}; the server's stays as it is")
        return
    print(f"{data['production']} is shared: {data['address']}")
    print(
        f"  {data['entries']} journal entries"
        + (f", with {', '.join(data['files'])}" if data["files"] else "")
    )
    if data["roles"]:
        print(f"  {data['roles']}")
    else:
        print("  let others in: aquin people ADDRESS --let NAME=looks, grades or leads")
    print("  the file stays as it was: what is changed there from now on goes nowhere")


def say_people(data: dict[str, Any]) -> None:
    print(f"you: {data['me']['who']}, who {data['me']['role']}")
    for one in data["people"]:
        print(f"  {one['who']:20} {one['role']}")
    if not data["roles"]:
        print("  the server has no roles for it: aquin people ADDRESS --roles")
    for one in data["here"]:
        work = f", {', '.join(one['work'])}" if one["work"] else ""
        print(f"  here: {one['who']} on {one['workstation']}{work}")


def say_unsent(data: dict[str, Any]) -> None:
    if not data["waiting"] and not data["refused"]:
        print("the server has everything")
    for one in data["waiting"]:
        print(f"waits    {one['at'][:19]}  {one['what']}")
    for one in data["refused"]:
        print(f"refused  {one['id'][:8]}  {one['at'][:19]}  {one['why']}")
