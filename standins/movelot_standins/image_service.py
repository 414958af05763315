"""The disk images that a hypervisor host sees on its datastores, and what it does with them when told."""

from __future__ import annotations

import base64
from collections.abc import Callable

from movelot_standins import image_actions
from movelot_standins.contents import Contents
from movelot_standins.machine_service import MachineService
from movelot_standins.model import KeptImage
from movelot_standins.redfish import Call, Reply, Resource, resource


class ImageService(MachineService):
    """The part of a host that images are, and the blocks of its disks."""

    contents: Contents

    def image_acts(self) -> dict[str, Callable[[Call], Reply]]:
        """What can be done with images, by the name of the action."""
        return {
            "MakeImage": self.make_image,
            "DeleteImage": self.delete_image,
            "WriteBlocks": self.write_blocks,
            "FillDisk": self.fill_disk,
            "LinkDisk": self.link_disk,
        }

    def images(self) -> list[Resource]:
        return [self._image(image) for image in image_actions.images_of(self.world, self.host)]

    def _image(self, image: KeptImage) -> Resource:
        return resource(
            f"{self.oem}/Images/{image.id}",
            "KestrelImage.v1_0_0.Image",
            image.name,
            CapacityBytes=image.size_bytes,
            WrittenBytes=image.written_bytes,
            Datastore=image.datastore,
            Key=image.key,
        )

    def make_image(self, call: Call) -> Reply:
        return Reply(201, self._image(image_actions.make(self.world, self.host, call.body, self.clock())))

    def delete_image(self, call: Call) -> Reply:
        image_actions.delete(self.world, self.host, str(call.body["Image"]), self.contents)
        return Reply(204)

    def write_blocks(self, call: Call) -> Reply:
        image_actions.write(self.world, self.host, call.body, self.contents, self.clock())
        return Reply(204)

    def read_blocks(self, call: Call) -> Reply:
        """What is at an offset, of a length, in an image or a disk."""
        offset, length = int(call.parts["offset"]), int(call.parts["length"])
        data = image_actions.read(self.world, self.host, call.parts["id"], (offset, length), self.contents)
        return Reply(200, {"Data": base64.b64encode(data).decode()})

    def list_extents(self, call: Call) -> Reply:
        """Where an image or a disk has data."""
        found = image_actions.extents(self.world, self.host, call.parts["id"], self.contents)
        return Reply(200, {"Extents": [{"Offset": offset, "Length": length} for offset, length in found]})

    def fill_disk(self, call: Call) -> Reply:
        return self.accepted(image_actions.fill(self.world, self.host, call.body, self.contents, self.clock()))

    def link_disk(self, call: Call) -> Reply:
        image_actions.link(self.world, self.host, call.body, self.contents)
        return Reply(204)
