"""A Modbus unit behind a link: registers in blocks, retries, and the scan for units."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence

from ordolex.core.device.logged import log_blocks
from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.link.exchange import Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.codecs import ModbusCodec
from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.address import READ_BY, Block, Place, blocks, read_place
from ordolex.core.protocols.modbus.frames import FRAMINGS, Framing, quiet_s
from ordolex.core.protocols.modbus.pdu import Code, Reply
from ordolex.core.protocols.modbus.values import ValueTrouble, decode, encode, unscaled
from ordolex.core.sheet.metering import DeviceLog, Unlock
from ordolex.core.sheet.parameters import Action, Bus, Parameter, Register, Setting
from ordolex.core.text.digits import scaled
from ordolex.io.device.base import DOUBTFUL, Changed, Trouble, nobody
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import PortLost

_BUSY_AGAIN_S = 0.25
_NOBODY = "unit 0 is all units of the line at once: nobody answers; give the ID of the one that is meant"
_SLOWEST_BUSY = (Code.BUSY, Code.ACKNOWLEDGE)


class ModbusUnit:
    """`framing` is rtu, ascii or tcp. Retries are counted in `retried`."""

    def __init__(self, runner: LinkRunner, framing: str, unit: int, bus: Bus | None = None) -> None:
        self._runner = runner
        self._framing: Framing = FRAMINGS[framing]()
        self.unit = unit
        self._bus = bus or Bus()
        self.retried = 0
        self.waits_for_late = True
        """Whether an answer is waited for beyond the time-out; a scan goes on to the next unit."""
        self._read_once = False

    # ---- one exchange

    async def exchange(
        self, request: bytes, name: str, retries: int | None = None, *, secret: bool = False
    ) -> tuple[Reply, bytes, float | None]:
        """The reply, its bytes and the milliseconds. Raises Trouble for silence and wrong answers; an exception is a
        reply. Only what reads is asked again: a write whose answer is lost may have been done."""
        reads = request[0] in pdu.READS
        left = (self._bus.retries if retries is None else retries) if reads else 0
        while True:
            try:
                reply, raw, ms = await self._once(request, name, last=not left, secret=secret)
            except Trouble:
                if not left:
                    raise
            else:
                if reply.exception not in _SLOWEST_BUSY or not left:
                    return reply, raw, ms
                await asyncio.sleep(_BUSY_AGAIN_S)
            left -= 1
            self.retried += 1

    @property
    def _is_all(self) -> bool:
        """On a serial line 0 is everybody (Modbus over serial line V1.02, 2.2); over TCP it is the device itself
        (Messaging on TCP/IP V1.0b, 4.4.2.1)."""
        return self.unit == 0 and self._framing.name != "TCP"

    async def _once(self, request: bytes, name: str, *, last: bool, secret: bool) -> tuple[Reply, bytes, float | None]:
        line = self._runner.line
        if self._framing.name == "RTU":
            await asyncio.sleep(quiet_s(line.characters_per_s, line.baud))
        codec = ModbusCodec(self._framing, self.unit, request, name)
        if self._is_all:
            await self._runner.out.send(codec.sent)
            await asyncio.sleep(0.1 + line.seconds_for(len(codec.sent)))
            return Reply(request[0]), b"", None
        question = Question(codec.sent, timeout_s=self._bus.timeout_s, codec=codec, secret=secret)
        answer = await self._runner.ask(question)
        if last and self.waits_for_late and answer.verdict is not Verdict.RIGHT:
            answer = await self._runner.late_answer(question) or answer
        if answer.ended is Ended.LOST:
            raise PortLost("the port went away", "plug it in again")
        if answer.ended is Ended.STOPPED:
            raise asyncio.CancelledError
        if not answer.data:
            raise Trouble(Outcome.SILENT, f"no answer of unit {self.unit} in {self._bus.timeout_s:g} s")
        if answer.errors.total:
            raise Trouble(Outcome.WRONG, f"{answer.errors.words()} in the answer", answer.data)
        reply, why = codec.reply(answer.data)
        if answer.ended is Ended.DOUBTFUL:
            reply, why = None, DOUBTFUL
        if reply is None:
            outcome = Outcome.SILENT if answer.data == codec.sent else Outcome.WRONG
            words = "only our own bytes came back" if answer.data == codec.sent else why
            raise Trouble(outcome, words, answer.data)
        return reply, answer.data, None if answer.last_s is None else answer.last_s * 1000

    # ---- parameters

    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        if self._is_all:
            refused = [Reading(p.name, Outcome.REFUSED, words=_NOBODY) for p in parameters]
            for one in refused:
                changed(one)
            return refused
        wanted = {p.name: p.modbus for p in parameters if p.modbus is not None}
        found: dict[str, Reading] = {}
        for block in blocks(((r.place, r.count) for r in wanted.values()), self._bus.gap):
            inside = [name for name, r in wanted.items() if block.holds(r.place, r.count) and name not in found]
            for reading in await self._read_block(block, {name: wanted[name] for name in inside}):
                found[reading.name] = reading
                changed(reading)
        return [found[p.name] for p in parameters]

    async def _read_block(self, block: Block, inside: dict[str, Register]) -> list[Reading]:
        try:
            reply, raw, ms = await self.exchange(read_request(block), f"{block.count} from {block.place.text}")
        except Trouble as trouble:
            return [Reading(name, trouble.outcome, raw=trouble.raw, words=trouble.words) for name in inside]
        self._read_once = True
        if reply.exception and len(inside) > 1:  # one address in it is none of the unit's: each by itself then
            out = []
            for name, register in inside.items():
                out += await self._read_block(Block(register.place, register.count), {name: register})
            return out
        if reply.exception:
            return [Reading(name, Outcome.REFUSED, raw=raw, words=reply.words, ms=ms) for name in inside]
        return [reading_of(name, register, block, reply, ms) for name, register in inside.items()]

    async def write(self, parameter: Parameter, value: Setting) -> str:
        assert parameter.modbus is not None
        if self._is_all:
            raise Trouble(Outcome.REFUSED, _NOBODY)
        await self._know_echo()
        request = write_request(parameter.modbus, value)
        reply, _, _ = await self.exchange(request, f"set {parameter.name} to {value}")
        if reply.exception == Code.ILLEGAL_FUNCTION and request[0] == pdu.MASK_WRITE:
            words = "it does not know the mask write (function 22), so one bit alone cannot be set there"
            raise Trouble(Outcome.REFUSED, words)
        if reply.exception == Code.ACKNOWLEDGE:
            return "it has taken the order and needs long for it"
        if reply.exception:
            raise Trouble(Outcome.REFUSED, reply.words)
        return "taken"

    async def _know_echo(self) -> None:
        """Only a read tells whether the adapter gives our own bytes back: the answer to a write is the request again.
        Any answer does, an exception too."""
        if not self._read_once:
            await self.exchange(pdu.read_registers(3, 0, 1), f"{Place('holding', 0).text}?")
            self._read_once = True

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        assert parameter.modbus is not None
        return FRAMINGS[self._framing.name.lower()]().wrap(self.unit, write_request(parameter.modbus, value))

    async def write_to_all(self, parameter: Parameter, value: Setting) -> str:
        """Writes to every unit of the line at once. Nobody answers, so nothing is known of what became of it."""
        assert parameter.modbus is not None and self._is_all
        await self.exchange(write_request(parameter.modbus, value), f"set {parameter.name} to {value} in all units")
        return "sent to all units; nobody answers, and nothing was read back"

    # ---- a code before writes, and the log that the unit keeps

    async def is_open(self, unlock: Unlock) -> bool:
        """Whether protected parameters take a write now; False where the sheet names no register that says so."""
        if not unlock.open_at:
            return False
        place = read_place(unlock.open_at)
        reply, _, _ = await self.exchange(read_request(Block(place, 1)), "is it open to writes?")
        return not reply.exception and any(reply.registers or reply.bits)

    async def unlock(self, unlock: Unlock, code: int) -> None:
        """Writes the code, which is neither shown nor kept. Raises Trouble where the unit refuses it, and
        where no right answer says whether it took it."""
        if self._is_all:
            raise Trouble(Outcome.REFUSED, _NOBODY)
        await self._know_echo()
        request = pdu.write_register(read_place(unlock.register_at).address, code)
        try:
            reply, _, _ = await self.exchange(request, f"write {unlock.means}", secret=True)
        except Trouble as trouble:
            unknown = f"{trouble.words}: whether it took {unlock.means} is not known"
            raise Trouble(trouble.outcome, unknown, trouble.raw) from trouble
        if reply.exception:
            raise Trouble(Outcome.REFUSED, f"{unlock.means} was refused: {reply.words}")

    async def read_log(self, log: DeviceLog, changed: Callable[[int, int], None] = lambda done, of: None) -> list[int]:
        """The registers of all rows, in order. Raises Trouble."""
        reply = await self._registers(Block(read_place(log.count_at), 1), "how many rows its log has")
        count, out = reply[0], list[int]()
        if count > log.most:
            raise Trouble(Outcome.WRONG, f"it says that its log has {count} rows; its sheet allows {log.most}")
        for block in log_blocks(log, count):
            changed(len(out) // log.row, count)
            out += await self._registers(block, f"{block.count // log.row} rows of its log")
        return out

    async def _registers(self, block: Block, name: str) -> tuple[int, ...]:
        reply, _, _ = await self.exchange(read_request(block), name)
        if reply.exception:
            raise Trouble(Outcome.REFUSED, f"{name}: {reply.words}")
        return reply.registers

    async def act(self, action: Action) -> str:
        if self._is_all:
            raise Trouble(Outcome.REFUSED, _NOBODY)
        await self._know_echo()
        place = read_place(action.register_at)
        request = pdu.write_register(place.address, action.value)
        reply, _, _ = await self.exchange(request, action.means or f"write {action.value} to {place.text}")
        if reply.exception:
            raise Trouble(Outcome.REFUSED, reply.words)
        return "taken"


def read_request(block: Block) -> bytes:
    function, address = READ_BY[block.place.table], block.place.address
    return (pdu.read_bits if function < 3 else pdu.read_registers)(function, address, block.count)


def reading_of(name: str, register: Register, block: Block, reply: Reply, ms: float | None) -> Reading:
    at = register.place.address - block.place.address
    if reply.bits:
        return Reading(name, Outcome.READ, int(reply.bits[at]), bytes([reply.bits[at]]), ms=ms)
    registers = reply.registers[at : at + register.count]
    raw = b"".join(value.to_bytes(2) for value in registers)
    try:
        value = decode(registers, register.type, register.order)
    except ValueTrouble as error:
        return Reading(name, Outcome.WRONG, raw=raw, words=str(error), ms=ms, stands=True)
    if register.bit is not None:
        value = registers[0] >> register.bit & 1
    return Reading(name, Outcome.READ, scaled(value, register.scale, register.offset), raw, ms=ms)


def write_request(register: Register, value: Setting) -> bytes:
    """The request that writes a value. Raises ValueError where it does not fit."""
    place = register.place
    if place.table == "coil":
        return pdu.write_coil(place.address, bool(value))
    if register.bit is not None:
        mask = 1 << register.bit
        return pdu.mask_write(place.address, 0xFFFF & ~mask, mask if value else 0)
    raw = unscaled(value, register.scale, register.offset, register.type)
    values = encode(raw, register.type, register.order, register.length)
    if len(values) == 1:
        return pdu.write_register(place.address, values[0])
    return pdu.write_registers(place.address, values)
