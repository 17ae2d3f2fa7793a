using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using Ripen.Backup.Volumes;

namespace Ripen.Backup.Nbd;

/// <summary>
/// Serves block devices over NBD on this machine's loopback: fixed newstyle, structured replies, flush, trim, write zeroes, block status.
/// There is no sign-in in the protocol: whoever can reach the port can read and write, as with a device file.
/// </summary>
public sealed class NbdServer : IAsyncDisposable
{
    private readonly TcpListener listener;
    private readonly CancellationTokenSource stop = new();
    private readonly ConcurrentDictionary<string, IBlockDevice> exports = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<NbdSession, Task> sessions = [];
    private readonly Task accepting;

    /// <param name="port">0 for any that is free.</param>
    /// <exception cref="SocketException">The port is in use.</exception>
    public NbdServer(int port)
    {
        listener = new TcpListener(IPAddress.Loopback, port);
        listener.Start();
        accepting = Task.Run(Accept);
    }

    public int Port => ((IPEndPoint)listener.LocalEndpoint).Port;

    /// <summary>How many clients are connected to an export.</summary>
    public int ClientsOf(string export) => sessions.Keys.Count(s => s.Export == export);

    public void Offer(string export, IBlockDevice device) => exports[export] = device;

    /// <summary>Nobody can connect to it any more, and those who are lose their connection.</summary>
    public void Withdraw(string export)
    {
        exports.TryRemove(export, out _);
        foreach (var session in sessions.Keys.Where(s => s.Export == export))
            session.End();
    }

    public async ValueTask DisposeAsync()
    {
        await stop.CancelAsync();
        listener.Dispose();
        await accepting;
        foreach (var (session, task) in sessions)
        {
            session.End();
            await task;
        }
        stop.Dispose();
    }

    private async Task Accept()
    {
        while (true)
        {
            Socket socket;
            try
            {
                socket = await listener.AcceptSocketAsync(stop.Token);
            }
            catch (Exception ended) when (ended is OperationCanceledException or SocketException or ObjectDisposedException)
            {
                return;
            }
            socket.NoDelay = true;
            var session = new NbdSession(socket, exports);
            // Begun only when it is listed, so that it is never forgotten before.
            var task = new Task<Task>(() => Serve(session));
            sessions[session] = task.Unwrap();
            task.Start(TaskScheduler.Default);
        }
    }

    private async Task Serve(NbdSession session)
    {
        try
        {
            await session.Run();
        }
        finally
        {
            sessions.TryRemove(session, out _);
            await session.DisposeAsync();
        }
    }
}
