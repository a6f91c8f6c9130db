"""A Modbus server of another make: a module with two buttons, a converter and a counter.

    modbus_server.py PORT

Its start button is pressed from 0.5 s to 0.9 s after the first request. It prints each change of what is written to it,
a line each: the table, the address from 0, the value.
"""
import asyncio
import sys
import warnings

warnings.simplefilter("ignore")

from pymodbus.datastore import ModbusSequentialDataBlock, ModbusServerContext, ModbusSlaveContext
from pymodbus.server import StartAsyncTcpServer

READ_COILS, READ_DISCRETE, READ_HOLDING, READ_INPUT = 1, 2, 3, 4


def block():
    # The context counts from 1.
    return ModbusSequentialDataBlock(1, [0] * 32)


async def main():
    device = ModbusSlaveContext(di=block(), co=block(), ir=block(), hr=block())
    # The stop button is closed at rest; 12 mA; 70,000 counts with the lower half first.
    device.setValues(READ_DISCRETE, 0, [0, 1])
    device.setValues(READ_INPUT, 0, [12000, 0, 70000 & 0xFFFF, 70000 >> 16])
    context = ModbusServerContext(slaves=device, single=True)
    asyncio.ensure_future(StartAsyncTcpServer(context=context, address=("127.0.0.1", int(sys.argv[1]))))
    print("ready", flush=True)
    written = {}
    seen = None
    loop = asyncio.get_running_loop()
    while True:
        await asyncio.sleep(0.005)
        now = {("coil", at): int(bit) for at, bit in enumerate(device.getValues(READ_COILS, 0, 8))}
        now |= {("holding", at): word for at, word in enumerate(device.getValues(READ_HOLDING, 0, 4))}
        for place, value in now.items():
            if written.get(place, 0) != value:
                print(*place, value, flush=True)
        written = now
        if seen is None and any(now.values()):
            seen = loop.time()
        pressed = seen is not None and 0.5 < loop.time() - seen < 0.9
        device.setValues(READ_DISCRETE, 0, [int(pressed), 1])


asyncio.run(main())
